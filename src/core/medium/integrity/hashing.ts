import { createMD5, createSHA1, createSHA256, createSHA384, createSHA512 } from "hash-wasm";
import type { ByteSource } from "../../kernel/source";

/** Takes bytes and gives their digest, once, as lower-case hex. */
interface Hasher {
  update(bytes: Uint8Array): unknown;
  digest(): string;
}

export const HASH_NAMES = ["md5", "sha1", "sha256", "sha384", "sha512"] as const;
export type HashName = (typeof HASH_NAMES)[number];

/** Makes hashers; a host may have faster ones of its own than those here. */
export type HasherMaker = (name: HashName) => Promise<Hasher>;

const MAKERS = { md5: createMD5, sha1: createSHA1, sha256: createSHA256, sha384: createSHA384, sha512: createSHA512 };

export const wasmHasher: HasherMaker = async (name) => {
  const hash = await MAKERS[name]();
  return { update: (bytes) => hash.update(bytes), digest: () => hash.digest("hex") };
};

/** Bytes done so far; answering false ends the work. */
export type OnProgress = (doneBytes: number) => boolean;

/** A browser takes its time for each read, whatever its size. */
export const STEP_BYTES = 4 << 20;

/** Thrown out of work that was ended by its `onProgress`. */
export class Cancelled extends Error {
  override readonly name = "Cancelled";
}

/** The digest of a source; null where it ends before its own size. Throws `Cancelled` where it was ended. */
export async function digestSource(
  source: ByteSource,
  name: HashName,
  make: HasherMaker,
  onProgress: OnProgress = () => true,
): Promise<string | null> {
  const hasher = await make(name);
  // The next piece is on its way while this one is digested.
  let ahead = source.read(0, STEP_BYTES);
  for (let at = 0; at < source.sizeBytes; ) {
    const bytes = await ahead;
    if (bytes.length === 0) return null;
    at += bytes.length;
    if (at < source.sizeBytes) {
      ahead = source.read(at, STEP_BYTES);
      // Its failure is told when it is waited for, also where the work ends before that.
      ahead.catch(() => {});
    }
    hasher.update(bytes);
    if (!onProgress(bytes.length)) throw new Cancelled();
  }
  return hasher.digest();
}
