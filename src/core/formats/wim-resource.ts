import { LRUCache } from "lru-cache";
import { Fields, toSafeNumber } from "../kernel/fields";
import { unpackLzms } from "../kernel/lzms";
import { unpackLzx } from "../kernel/lzx";
import { type ByteSource, readExactly, WindowSource } from "../kernel/source";
import { unpackXpress } from "../kernel/xpress";

/** Where something stands in an archive, and what it comes to. */
export interface WimResource {
  flags: number;
  /** As it is stored. */
  lengthBytes: number;
  start: number;
  /** Unpacked. */
  sizeBytes: number;
}

/** An entry of the table of contents. */
export const LOOKUP_BYTES = 50;

export const RESOURCE = { metadata: 0x02, compressed: 0x04, spanned: 0x08, solid: 0x10 } as const;

/** How an archive's resources are packed. */
export interface WimPacking {
  compression: WimCompression;
  /** Unpacked size of each chunk but the last. */
  chunkBytes: number;
  /** Written to be read without going back: each chunk has its size before it, and their table is behind them all. */
  isPipable: boolean;
}

export type WimCompression = "none" | "xpress" | "lzx" | "lzms";

/** Chunks of one resource: 64 GiB of the usual 32 KiB. */
const CHUNKS_MAX = 1 << 21;
/** Unpacked chunks that are kept of one resource. */
const KEPT_BYTES = 4 << 20;
const WIDE_FROM = 0x1_0000_0000;
/** Before each chunk of a pipable resource. */
const CHUNK_HEAD_BYTES = 4;
const SOLID_HEAD_BYTES = 16;
/** By their numbers in the head of a solid resource (wimlib, "resource.h", alt_chunk_table_header_disk). */
const SOLID_COMPRESSIONS: readonly WimCompression[] = ["none", "xpress", "lzx", "lzms"];
/** Sizes of chunks, as powers of two; solid archives of real media have 64 MiB. */
const ORDERS: Record<WimCompression, readonly [number, number]> = {
  ...{ none: [12, 26], xpress: [12, 16], lzx: [15, 21], lzms: [15, 26] },
};

/** Whether chunks may be so large, in bytes, unpacked. */
export function isChunkSize(compression: WimCompression, bytes: number): boolean {
  const [least, most] = ORDERS[compression];
  return (bytes & (bytes - 1)) === 0 && bytes >= 2 ** least && bytes <= 2 ** most;
}

/** A header of a resource, 24 bytes: stored size with flags, place, unpacked size. Null where its numbers are none. */
export function wimResourceAt(fields: Fields, at: number): WimResource | null {
  const head = fields.u64le(at);
  const lengthBytes = toSafeNumber(head & 0x00ff_ffff_ffff_ffffn);
  const [start, sizeBytes] = [toSafeNumber(fields.u64le(at + 8)), toSafeNumber(fields.u64le(at + 16))];
  if (lengthBytes === null || start === null || sizeBytes === null) return null;
  return { flags: Number(head >> 56n), lengthBytes, start, sizeBytes };
}

/**
 * The content of a resource, unpacked as it is read: chunks begin where a table before them says, and one that did not
 * become smaller stands as it is. Null where it leaves the archive, or is packed otherwise.
 */
export function openWimResource(file: ByteSource, resource: WimResource, packing: WimPacking): ByteSource | null {
  const { flags, lengthBytes, start, sizeBytes } = resource;
  if (start + lengthBytes > file.sizeBytes || flags & (RESOURCE.solid | RESOURCE.spanned)) return null;
  if (!(flags & RESOURCE.compressed))
    return lengthBytes === sizeBytes ? new WindowSource(file, start, sizeBytes) : null;
  if (packing.compression === "none" || sizeBytes === 0) return null;
  const chunks = Math.ceil(sizeBytes / packing.chunkBytes);
  if (chunks > CHUNKS_MAX) return null;
  return new ChunkedSource(file, sizeBytes, packing, () => placesByTable(file, resource, packing.isPipable, chunks));
}

/** A solid resource: many contents one behind the other, packed together. Null where it leaves the archive. */
export async function openSolidResource(file: ByteSource, resource: WimResource): Promise<ByteSource | null> {
  const { lengthBytes, start } = resource;
  if (start + lengthBytes > file.sizeBytes) return null;
  const head = await readExactly(file, start, SOLID_HEAD_BYTES);
  if (!head) return null;
  const fields = new Fields(head);
  const sizeBytes = toSafeNumber(fields.u64le(0));
  const [chunkBytes, compression] = [fields.u32le(8), SOLID_COMPRESSIONS[fields.u32le(12)]];
  if (sizeBytes === null || !compression || !isChunkSize(compression, chunkBytes)) return null;
  const chunks = Math.ceil(sizeBytes / chunkBytes);
  if (chunks > CHUNKS_MAX || SOLID_HEAD_BYTES + chunks * 4 > lengthBytes) return null;
  const packing = { compression, chunkBytes, isPipable: false };
  return new ChunkedSource(file, sizeBytes, packing, () => placesBySizes(file, resource, chunks));
}

/** Where each chunk is in the file: bytes. */
interface Places {
  starts: number[];
  ends: number[];
}

/** A table of where each chunk but the first begins, counted from the first one's beginning. */
async function placesByTable(
  file: ByteSource,
  { start, lengthBytes, sizeBytes }: WimResource,
  isPipable: boolean,
  chunks: number,
): Promise<Places | null> {
  const wide = sizeBytes >= WIDE_FROM ? 8 : 4;
  const tableBytes = (chunks - 1) * wide;
  if (tableBytes > lengthBytes) return null;
  const end = start + lengthBytes;
  const bytes = await readExactly(file, isPipable ? end - tableBytes : start, tableBytes);
  if (!bytes) return null;
  const fields = new Fields(bytes);
  const told = [0];
  for (let at = 0; at < tableBytes; at += wide) {
    const offset = wide === 8 ? toSafeNumber(fields.u64le(at)) : fields.u32le(at);
    if (offset === null) return null;
    told.push(offset);
  }
  const headBytes = isPipable ? CHUNK_HEAD_BYTES : 0;
  const first = isPipable ? start : start + tableBytes;
  const starts = told.map((offset, nth) => first + offset + headBytes * (nth + 1));
  const ends = [...starts.slice(1).map((next) => next - headBytes), isPipable ? end - tableBytes : end];
  return inOrder({ starts, ends }, end);
}

/** A table of how long each chunk is. */
async function placesBySizes(
  file: ByteSource,
  { start, lengthBytes }: WimResource,
  chunks: number,
): Promise<Places | null> {
  const tableBytes = chunks * 4;
  const bytes = await readExactly(file, start + SOLID_HEAD_BYTES, tableBytes);
  if (!bytes) return null;
  const fields = new Fields(bytes);
  const places: Places = { starts: [], ends: [] };
  let at = start + SOLID_HEAD_BYTES + tableBytes;
  for (let nth = 0; nth < chunks; nth++) {
    places.starts.push(at);
    at += fields.u32le(nth * 4);
    places.ends.push(at);
  }
  return inOrder(places, start + lengthBytes);
}

function inOrder(places: Places, end: number): Places | null {
  const isSound = places.starts.every((start, nth) => start <= (places.ends[nth] as number));
  return isSound && places.ends.every((each) => each <= end) ? places : null;
}

class ChunkedSource implements ByteSource {
  private readonly kept: LRUCache<number, Promise<Uint8Array | null>>;
  private places: Promise<Places | null> | null = null;

  constructor(
    private readonly file: ByteSource,
    readonly sizeBytes: number,
    private readonly packing: WimPacking,
    private readonly findPlaces: () => Promise<Places | null>,
  ) {
    this.kept = new LRUCache({ max: Math.max(1, Math.floor(KEPT_BYTES / packing.chunkBytes)) });
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const end = Math.min(offset + length, this.sizeBytes);
    if (!(offset >= 0) || end <= offset) return new Uint8Array(0);
    const { chunkBytes } = this.packing;
    const out = new Uint8Array(end - offset);
    for (let at = offset; at < end; ) {
      const number = Math.floor(at / chunkBytes);
      const chunk = await this.chunk(number);
      // A chunk that is damaged ends the answer: zeros in its place would be a guess.
      if (!chunk) return out.subarray(0, at - offset);
      const from = at - number * chunkBytes;
      const part = chunk.subarray(from, Math.min(chunk.length, from + end - at));
      out.set(part, at - offset);
      at += part.length;
    }
    return out;
  }

  private chunk(number: number): Promise<Uint8Array | null> {
    const known = this.kept.get(number);
    if (known) return known;
    const chunk = this.unpacked(number);
    this.kept.set(number, chunk);
    return chunk;
  }

  private async unpacked(number: number): Promise<Uint8Array | null> {
    this.places ??= this.findPlaces();
    const places = await this.places;
    const [start, end] = [places?.starts[number], places?.ends[number]];
    if (start === undefined || end === undefined) return null;
    const { compression, chunkBytes } = this.packing;
    const sizeBytes = Math.min(chunkBytes, this.sizeBytes - number * chunkBytes);
    if (end - start > sizeBytes) return null;
    const packed = await readExactly(this.file, start, end - start);
    if (!packed || packed.length === sizeBytes) return packed;
    switch (compression) {
      case "none":
        return null;
      case "xpress":
        return unpackXpress(packed, sizeBytes);
      case "lzx":
        return unpackLzx(packed, sizeBytes, chunkBytes);
      case "lzms":
        return unpackLzms(packed, sizeBytes);
    }
  }
}
