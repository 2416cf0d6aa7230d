import { sha256 } from "@noble/hashes/sha2.js";
import type { ComputerRecord } from "../../computer/exchange/columns";
import type { LineProblem } from "../../computer/exchange/faults";
import { readLine } from "../../computer/exchange/lines";
import { openPath } from "../../formats/file-tree";
import { decompressBlock } from "../../kernel/decompress";
import { hex } from "../../kernel/fields";
import { type ByteSource, CachedSource, ReadFailed } from "../../kernel/source";
import { readChecksums } from "../../medium/integrity/checksums";
import { type Volume, volumesOf } from "../../medium/volumes/volumes";
import { PACK_PATHS, type PackHead, type PackRelease, packHeadSchema, packReleaseSchema } from "./pack";

/** A pack as it was read: its records are those that its sums vouch for. */
export interface Pack {
  head: PackHead;
  /** What was read from the release's file; null where the pack has none. */
  release: PackRelease | null;
  computers: PackedComputer[];
}

/** A computer that the medium serves, with its line as it was written. */
export interface PackedComputer {
  record: ComputerRecord;
  text: string;
}

/** Why a pack is not taken in. Nothing of a damaged pack is: what of it is right cannot be told. */
export type PackProblem =
  | { code: "no-pack" }
  | { code: "missing"; path: string }
  | { code: "too-large"; path: string; mostBytes: number }
  | { code: "damaged"; path: string }
  | { code: "not-understood"; path: string; why: string }
  | { code: "record-not-understood"; path: string; line: number; problem: LineProblem };

export type PackReading = { ok: true; pack: Pack } | { ok: false; problem: PackProblem };

/** Opens a file of a pack by its path from the medium's root; null where it is not there. May throw `ReadFailed`. */
export type OpenPackFile = (path: string) => Promise<ByteSource | null>;

const HEAD_BYTES_MAX = 4 << 20;
const SUMS_BYTES_MAX = 64 << 20;
const RECORDS_BYTES_MAX = 128 << 20;
const RELEASE_BYTES_MAX = 64 << 20;
const RELEASE_UNPACKED_MAX = 256 << 20;

/** Where on a medium its pack lies: the first of its file systems that has one; null where none has. */
export async function findPack(medium: ByteSource): Promise<OpenPackFile | null> {
  return findPackIn(await volumesOf(new CachedSource(medium)));
}

/** The same among volumes that are open already, such as a folder. */
export async function findPackIn(volumes: readonly Pick<Volume, "tree">[]): Promise<OpenPackFile | null> {
  for (const { tree } of volumes) if (await openPath(tree, PACK_PATHS.head)) return (path) => openPath(tree, path);
  return null;
}

/** What a medium says of itself, without the rest of its pack and unchecked; null where it says nothing. */
export async function glanceAtPack(medium: ByteSource): Promise<PackHead | null> {
  const open = await findPack(medium);
  return open && headOf(open);
}

/** The head of a pack, unchecked; null where it is not there or not understood. */
export async function headOf(open: OpenPackFile): Promise<PackHead | null> {
  const file = await open(PACK_PATHS.head);
  if (!file || file.sizeBytes > HEAD_BYTES_MAX) return null;
  const parsed = packHeadSchema.safeParse(asJson(await file.read(0, file.sizeBytes)));
  return parsed.success ? parsed.data : null;
}

/** Reads a pack and holds each of its files against the pack's own sums. */
export async function readPack(open: OpenPackFile): Promise<PackReading> {
  try {
    const sums = await take(open, PACK_PATHS.sums, SUMS_BYTES_MAX);
    const digests = new Map(
      readChecksums(new TextDecoder().decode(sums)).map(({ name, digest }) => [`/${name}`, digest]),
    );
    const checked = async (path: string, mostBytes: number) => {
      const bytes = await take(open, path, mostBytes);
      if (hex(sha256(bytes)) !== digests.get(path)) throw new Refused({ code: "damaged", path });
      return bytes;
    };
    const head = packHeadSchema.safeParse(asJson(await checked(PACK_PATHS.head, HEAD_BYTES_MAX)));
    if (!head.success) throw notUnderstood(PACK_PATHS.head, head.error.issues[0]);
    const records = new TextDecoder().decode(await checked(PACK_PATHS.records, RECORDS_BYTES_MAX));
    const release = digests.has(PACK_PATHS.release)
      ? await releaseIn(await checked(PACK_PATHS.release, RELEASE_BYTES_MAX))
      : null;
    return { ok: true, pack: { head: head.data, release, computers: computersIn(records) } };
  } catch (error) {
    if (error instanceof Refused) return { ok: false, problem: error.problem };
    throw error;
  }
}

class Refused extends Error {
  constructor(readonly problem: PackProblem) {
    super(problem.code);
  }
}

function notUnderstood(path: string, issue: { path: PropertyKey[]; message: string } | undefined): Refused {
  return new Refused({ code: "not-understood", path, why: `${issue?.path.join(".") ?? ""}: ${issue?.message ?? ""}` });
}

async function take(open: OpenPackFile, path: string, mostBytes: number): Promise<Uint8Array> {
  const file = await open(path);
  if (!file) throw new Refused(path === PACK_PATHS.sums ? { code: "no-pack" } : { code: "missing", path });
  if (file.sizeBytes > mostBytes) throw new Refused({ code: "too-large", path, mostBytes });
  try {
    return await file.read(0, file.sizeBytes);
  } catch (error) {
    if (error instanceof ReadFailed) throw new Refused({ code: "damaged", path });
    throw error;
  }
}

function computersIn(records: string): PackedComputer[] {
  return records.split("\n").flatMap((text, index) => {
    if (text.trim() === "") return [];
    const reading = readLine(text);
    if (reading.ok) return [{ record: reading.record, text }];
    const { problem } = reading;
    throw new Refused({ code: "record-not-understood", path: PACK_PATHS.records, line: index + 1, problem });
  });
}

async function releaseIn(bytes: Uint8Array): Promise<PackRelease> {
  const path = PACK_PATHS.release;
  // RFC 1952: the last four bytes are the length of what was packed. Its decoder holds it to that.
  const length = bytes.length < 18 ? 0 : new DataView(bytes.buffer, bytes.byteOffset).getUint32(bytes.length - 4, true);
  if (length > RELEASE_UNPACKED_MAX) throw new Refused({ code: "too-large", path, mostBytes: RELEASE_UNPACKED_MAX });
  const plain = await decompressBlock("gzip", bytes, length);
  const parsed = packReleaseSchema.safeParse(plain && asJson(plain));
  if (!parsed.success) throw notUnderstood(path, parsed.error.issues[0]);
  return parsed.data;
}

function asJson(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(bytes));
  } catch {
    return null;
  }
}
