import { z } from "zod";
import { Fields, hasText, hex, toSafeNumber } from "../kernel/fields";
import { Put } from "../kernel/put";

/**
 * `creel.image/1`: what a disk held at one moment, in one file (docs/file-forms.md). A header, the blocks that hold
 * something, each packed by itself (RFC 8878), an index of them, a manifest, and a footer that leads to both. Numbers
 * are little-endian, places and sizes are bytes.
 */
export const HEADER_BYTES = 64;
export const FOOTER_BYTES = 96;
export const ENTRY_BYTES = 56;
const HEADER_MAGIC = "CREELIMG";
const FOOTER_MAGIC = "CREELEND";
const VERSION = 1;

/** Blocks are of one size, all but the last of a disk. */
export const BLOCK_BYTES = 1 << 20;
const BLOCK_MIN_BYTES = 64 * 1024;
const BLOCK_MAX_BYTES = 16 << 20;
/** An index of this length is of some 5 TB in use; a manifest names a few partitions and what was not read. */
export const INDEX_MAX_BYTES = 288 << 20;
const MANIFEST_MAX_BYTES = 16 << 20;

const byteCount = z.number().int().nonnegative();
const sha256Text = z.string().regex(/^[0-9a-f]{64}$/);
const IMAGE_ID = /^[0-9a-f]{32}$/;
const imageId = z.string().regex(IMAGE_ID);

const savedPartitionSchema = z.object({
  number: z.number().int(),
  type: z.string(),
  start: byteCount,
  bytes: byteCount,
  filesystem: z.string().nullable(),
  label: z.string().nullable(),
  /** What of it was saved: what its file system says is in use, all of it, or nothing. */
  saved: z.enum(["used", "all", "nothing"]),
  /** Why all of it was saved although Creel reads what a file system of this kind uses. */
  doubt: z.enum(["not-left-in-order", "maps-damaged"]).nullable(),
  /** What was read of it. */
  savedBytes: byteCount,
});
export type SavedPartition = z.infer<typeof savedPartitionSchema>;

export const imageManifestSchema = z.object({
  schema: z.literal("creel.image/1"),
  id: imageId,
  /** When saving began, UTC. */
  made: z.iso.datetime(),
  /** What made it, with its version. */
  by: z.string().max(200),
  computer: z.object({
    tag: z.string().max(200).nullable(),
    serial: z.string().max(200).nullable(),
    uuid: z.string().max(200).nullable(),
  }),
  disk: z.object({
    name: z.string().max(200).nullable(),
    model: z.string().max(200).nullable(),
    serial: z.string().max(200).nullable(),
    bytes: byteCount,
    sectorBytes: z.union([z.literal(512), z.literal(2048), z.literal(4096)]),
  }),
  table: z.enum(["gpt", "mbr", "none"]),
  partitions: z.array(savedPartitionSchema).max(256),
  blockBytes: z.number().int().min(BLOCK_MIN_BYTES).max(BLOCK_MAX_BYTES),
  blocks: z.object({
    /** Blocks that are in the index. */
    count: byteCount,
    /** Of these: nothing but zeros; the same as in the image before; packed in this file. */
    zero: byteCount,
    before: byteCount,
    packed: byteCount,
    packedBytes: byteCount,
  }),
  /** What the disk did not give: these ranges stand as zeros in their blocks. */
  unread: z.array(z.object({ start: byteCount, bytes: byteCount })).max(100_000),
  /** The image that this one goes on from: blocks that are the same are only there. */
  before: z.object({ id: imageId, digest: sha256Text }).nullable(),
});
export type ImageManifest = z.infer<typeof imageManifestSchema>;

/** Where a block is. */
type BlockKind = "packed" | "zero" | "before";
const KINDS: readonly BlockKind[] = ["packed", "zero", "before"];

export interface IndexEntry {
  /** Which block of the disk: the one at `number * blockBytes`. */
  number: number;
  kind: BlockKind;
  /** Of the packed block in the file; 0 for the other kinds. */
  offset: number;
  packedBytes: number;
  /** SHA-256 of the block as it is on the disk, what is not in use as zeros. */
  digest: Uint8Array;
}

export function encodeHeader(id: string, blockBytes: number): Uint8Array {
  const bytes = new Uint8Array(HEADER_BYTES);
  new Put(bytes)
    .ascii(0, HEADER_MAGIC)
    .u16le(8, VERSION)
    .u16le(10, HEADER_BYTES)
    .u32le(12, blockBytes)
    .raw(16, fromHex(id));
  return bytes;
}

function fromHex(text: string): Uint8Array {
  return Uint8Array.from({ length: text.length / 2 }, (_, at) => Number.parseInt(text.slice(at * 2, at * 2 + 2), 16));
}

export interface ImageHeader {
  id: string;
  blockBytes: number;
}

/** Null where it does not begin an image of this form. */
export function decodeHeader(bytes: Uint8Array): ImageHeader | null {
  if (bytes.length < HEADER_BYTES || !hasText(bytes, 0, HEADER_MAGIC)) return null;
  const fields = new Fields(bytes);
  const blockBytes = fields.u32le(12);
  if (fields.u16le(8) !== VERSION || blockBytes < BLOCK_MIN_BYTES || blockBytes > BLOCK_MAX_BYTES) return null;
  return { id: hex(fields.slice(16, 16)), blockBytes };
}

export function encodeEntries(entries: readonly IndexEntry[]): Uint8Array {
  const bytes = new Uint8Array(entries.length * ENTRY_BYTES);
  const put = new Put(bytes);
  for (const [at, { number, kind, offset, packedBytes, digest }] of entries.entries())
    put
      .u64le(at * ENTRY_BYTES, number)
      .u64le(at * ENTRY_BYTES + 8, offset)
      .u32le(at * ENTRY_BYTES + 16, packedBytes)
      .u32le(at * ENTRY_BYTES + 20, KINDS.indexOf(kind))
      .raw(at * ENTRY_BYTES + 24, digest);
  return bytes;
}

/** An index that is kept as it stands in the file, since it may be of millions of blocks. Entries rise by number. */
export class BlockIndex {
  readonly count: number;
  private readonly fields: Fields;
  constructor(bytes: Uint8Array) {
    this.fields = new Fields(bytes);
    this.count = Math.floor(bytes.length / ENTRY_BYTES);
  }

  /** Null where its bytes are impossible. */
  at(position: number): IndexEntry | null {
    const from = position * ENTRY_BYTES;
    const number = toSafeNumber(this.fields.u64le(from));
    const offset = toSafeNumber(this.fields.u64le(from + 8));
    const kind = KINDS[this.fields.u32le(from + 20)];
    if (number === null || offset === null || kind === undefined) return null;
    const packedBytes = this.fields.u32le(from + 16);
    return { number, kind, offset, packedBytes, digest: this.fields.slice(from + 24, 32) };
  }

  /** Where the block stands in the index; null where it is not in it. */
  find(number: number): IndexEntry | null {
    let [low, high] = [0, this.count];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.at(middle)?.number ?? Number.POSITIVE_INFINITY) < number) low = middle + 1;
      else high = middle;
    }
    const entry = low < this.count ? this.at(low) : null;
    return entry?.number === number ? entry : null;
  }
}

export interface Footer {
  indexOffset: number;
  indexBytes: number;
  manifestOffset: number;
  manifestBytes: number;
  /** SHA-256 of header, index, manifest and the footer before it, in this order. */
  digest: Uint8Array;
}

const FOOTER_DIGEST_AT = FOOTER_BYTES - 32;

/** The footer without its digest, which is of these bytes too. */
export function encodeFooter(footer: Omit<Footer, "digest">): Uint8Array {
  const bytes = new Uint8Array(FOOTER_DIGEST_AT);
  new Put(bytes)
    .ascii(0, FOOTER_MAGIC)
    .u64le(8, footer.indexOffset)
    .u64le(16, footer.indexBytes)
    .u64le(24, footer.manifestOffset)
    .u64le(32, footer.manifestBytes);
  return bytes;
}

/** Null where the file does not end as an image of this form does: saving was cut off, or it is another file. */
export function decodeFooter(bytes: Uint8Array, fileBytes: number): Footer | null {
  if (bytes.length !== FOOTER_BYTES || !hasText(bytes, 0, FOOTER_MAGIC)) return null;
  const fields = new Fields(bytes);
  const [indexOffset, indexBytes, manifestOffset, manifestBytes] = [8, 16, 24, 32].map((at) =>
    toSafeNumber(fields.u64le(at)),
  );
  if (indexOffset == null || indexBytes == null || manifestOffset == null || manifestBytes == null) return null;
  if (indexBytes > INDEX_MAX_BYTES || indexBytes % ENTRY_BYTES !== 0 || manifestBytes > MANIFEST_MAX_BYTES) return null;
  // They stand one behind the other, and the footer behind them.
  if (indexOffset < HEADER_BYTES || manifestOffset !== indexOffset + indexBytes) return null;
  if (manifestOffset + manifestBytes + FOOTER_BYTES !== fileBytes) return null;
  return { indexOffset, indexBytes, manifestOffset, manifestBytes, digest: fields.slice(FOOTER_DIGEST_AT, 32) };
}
