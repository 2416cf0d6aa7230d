import { createHash } from "node:crypto";
import { createReadStream, createWriteStream } from "node:fs";
import { type FileHandle, open, stat } from "node:fs/promises";
import { PassThrough, Readable, Writable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { Decrypter, Encrypter } from "age-encryption";
import tar from "tar-stream";
import { BackupFailed } from "./client-tools";

/** The first bytes of the age format (age-encryption.org/v1, "Header"). */
const AGE = "age-encryption.org/v1\n";
/** 2^16 passes of scrypt: a guess takes a second or so. */
const SCRYPT_LOG_N = 16;
/** What the checksums of a backup are called in it: the form of sha256sum. */
const SUMS = "SHA256SUMS";

/** A part of a backup: a text, or a file. */
export type Part = { name: string } & ({ text: string } | { path: string });

/**
 * Writes parts into a tar archive (POSIX.1-2001), their SHA-256 behind them, encrypted in the age format where there is a
 * passphrase. Any tar reads it, and `age` opens it.
 */
export async function writeArchive(to: string, parts: readonly Part[], passphrase: string | null): Promise<void> {
  const pack = tar.pack();
  const out = Writable.toWeb(createWriteStream(to, { flags: "wx", mode: 0o600 })) as WritableStream<Uint8Array>;
  const plain = Readable.toWeb(Readable.from(pack, { objectMode: false })) as ReadableStream<Uint8Array>;
  const written = (passphrase === null ? Promise.resolve(plain) : encrypted(plain, passphrase)).then((bytes) =>
    bytes.pipeTo(out),
  );
  const filling = (async () => {
    const sums: string[] = [];
    for (const part of parts) sums.push(`${await add(pack, part)}  ${part.name}\n`);
    await add(pack, { name: SUMS, text: sums.join("") });
    pack.finalize();
  })().catch((error: unknown) => {
    pack.destroy(error instanceof Error ? error : new Error(String(error)));
    throw error;
  });
  await Promise.all([written, filling]);
}

function encrypted(plain: ReadableStream<Uint8Array>, passphrase: string): Promise<ReadableStream<Uint8Array>> {
  const encrypter = new Encrypter();
  encrypter.setPassphrase(passphrase);
  encrypter.setScryptWorkFactor(SCRYPT_LOG_N);
  return encrypter.encrypt(plain);
}

/** Adds a part, and gives its SHA-256. */
async function add(pack: tar.Pack, part: Part): Promise<string> {
  const hash = createHash("sha256");
  const size = "text" in part ? Buffer.byteLength(part.text) : (await stat(part.path)).size;
  const entry = pack.entry({ name: part.name, size, mode: 0o600 });
  // What grew meanwhile is taken as far as it was told.
  const source =
    size === 0
      ? Readable.from([])
      : "text" in part
        ? Readable.from([Buffer.from(part.text)])
        : createReadStream(part.path, { end: size - 1 });
  const counting = new PassThrough();
  counting.on("data", (data) => hash.update(data));
  await pipeline(source, counting, entry);
  return hash.digest("hex");
}

/** Whether a file is encrypted. */
async function isEncrypted(path: string): Promise<boolean> {
  let handle: FileHandle | null = null;
  try {
    handle = await open(path);
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(AGE.length), 0, AGE.length, 0);
    return buffer.toString("latin1", 0, bytesRead) === AGE;
  } finally {
    await handle?.close();
  }
}

async function opened(path: string, passphrase: string | null): Promise<Readable> {
  const file = createReadStream(path);
  if (!(await isEncrypted(path))) return file;
  if (passphrase === null) throw new BackupFailed({ code: "encrypted" });
  const decrypter = new Decrypter();
  decrypter.addPassphrase(passphrase);
  try {
    const plain = await decrypter.decrypt(Readable.toWeb(file) as ReadableStream<Uint8Array>);
    return Readable.fromWeb(plain as Parameters<typeof Readable.fromWeb>[0]);
  } catch {
    throw new BackupFailed({ code: "wrong-passphrase" });
  }
}

/** A text in a backup has at most so many bytes. */
const TEXT_BYTES_MAX = 64 << 20;

/**
 * Reads an archive from its start to its end, and gives its texts and how many bytes each part has. `take`: where a part
 * goes; null: it is only held against its checksum. Problems: `damaged` names the first part that is not as it was written.
 */
export async function readArchive(
  path: string,
  passphrase: string | null,
  take: (name: string) => Writable | "text" | null,
): Promise<{ texts: Map<string, string>; sizes: Map<string, number> }> {
  const extract = tar.extract();
  const [texts, sizes, found] = [new Map<string, string>(), new Map<string, number>(), new Map<string, string>()];
  const source = await opened(path, passphrase);
  source.on("error", (error) => extract.destroy(error));
  source.pipe(extract);
  let part = "its beginning";
  let sums: string | null = null;
  try {
    for await (const entry of extract) {
      const { name, size = 0 } = entry.header;
      part = name;
      const wanted = name === SUMS ? "text" : take(name);
      if (wanted === "text" && size > TEXT_BYTES_MAX) throw new BackupFailed({ code: "damaged", part: name });
      const hash = createHash("sha256");
      const kept: Uint8Array[] = [];
      const counting = new PassThrough();
      counting.on("data", (data: Uint8Array) => {
        hash.update(data);
        if (wanted === "text") kept.push(data);
      });
      if (wanted === "text" || wanted === null) {
        counting.resume();
        await pipeline(entry, counting);
      } else await pipeline(entry, counting, wanted);
      found.set(name, hash.digest("hex"));
      sizes.set(name, size);
      const text = wanted === "text" ? Buffer.concat(kept).toString("utf8") : null;
      if (name === SUMS) sums = text;
      else if (text !== null) texts.set(name, text);
    }
  } catch (error) {
    if (error instanceof BackupFailed) throw error;
    throw new BackupFailed(found.size === 0 ? { code: "not-a-backup" } : { code: "damaged", part });
  }
  // What ends early has no checksums at its end.
  if (sums === null) throw new BackupFailed(found.size === 0 ? { code: "not-a-backup" } : { code: "damaged", part });
  const told = new Map(
    sums
      .split("\n")
      .filter(Boolean)
      .map((line): [string, string] => [line.slice(66), line.slice(0, 64)]),
  );
  found.delete(SUMS);
  for (const [name, sum] of told) if (found.get(name) !== sum) throw new BackupFailed({ code: "damaged", part: name });
  for (const name of found.keys()) if (!told.has(name)) throw new BackupFailed({ code: "damaged", part: name });
  return { texts, sizes };
}
