import { LRUCache } from "lru-cache";
import { Fields, toSafeNumber } from "../kernel/fields";
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

export const RESOURCE = { metadata: 0x02, compressed: 0x04, spanned: 0x08, solid: 0x10 } as const;

/** How an archive's resources are packed. */
export interface WimPacking {
  compression: "none" | "xpress" | "lzx";
  /** Unpacked size of each chunk but the last. */
  chunkBytes: number;
}

/** Chunks of one resource: 64 GiB of the usual 32 KiB. */
const CHUNKS_MAX = 1 << 21;
/** Unpacked chunks that are kept of one resource. */
const KEPT_BYTES = 4 << 20;
const WIDE_FROM = 0x1_0000_0000;

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
  return chunks > CHUNKS_MAX ? null : new ChunkedSource(file, resource, packing, chunks);
}

class ChunkedSource implements ByteSource {
  readonly sizeBytes: number;
  private readonly kept: LRUCache<number, Uint8Array>;
  /** Where each chunk begins, and the end: from the end of the table. */
  private starts: Promise<number[] | null> | null = null;

  constructor(
    private readonly file: ByteSource,
    private readonly resource: WimResource,
    private readonly packing: WimPacking,
    private readonly chunks: number,
  ) {
    this.sizeBytes = resource.sizeBytes;
    this.kept = new LRUCache({ max: Math.max(2, Math.floor(KEPT_BYTES / packing.chunkBytes)) });
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

  private async chunk(number: number): Promise<Uint8Array | null> {
    const known = this.kept.get(number);
    if (known) return known;
    this.starts ??= this.table();
    const starts = await this.starts;
    const [start, end] = [starts?.[number], starts?.[number + 1]];
    if (start === undefined || end === undefined) return null;
    const { compression, chunkBytes } = this.packing;
    const sizeBytes = Math.min(chunkBytes, this.sizeBytes - number * chunkBytes);
    const packed = await readExactly(this.file, start, end - start);
    if (!packed || packed.length > sizeBytes) return null;
    const chunk =
      packed.length === sizeBytes
        ? packed
        : compression === "xpress"
          ? unpackXpress(packed, sizeBytes)
          : unpackLzx(packed, sizeBytes, chunkBytes);
    if (chunk) this.kept.set(number, chunk);
    return chunk;
  }

  /** The first chunk begins behind the table, which names the others. */
  private async table(): Promise<number[] | null> {
    const { start, lengthBytes, sizeBytes } = this.resource;
    const wide = sizeBytes >= WIDE_FROM ? 8 : 4;
    const tableBytes = (this.chunks - 1) * wide;
    const bytes = await readExactly(this.file, start, tableBytes);
    if (!bytes || tableBytes > lengthBytes) return null;
    const fields = new Fields(bytes);
    const starts = [start + tableBytes];
    for (let at = 0; at < tableBytes; at += wide) {
      const told = wide === 8 ? toSafeNumber(fields.u64le(at)) : fields.u32le(at);
      if (told === null) return null;
      starts.push(start + tableBytes + told);
    }
    starts.push(start + lengthBytes);
    const isInOrder = starts.every((each, nth) => nth === 0 || each >= (starts[nth - 1] as number));
    return isInOrder && (starts.at(-2) as number) <= start + lengthBytes ? starts : null;
  }
}
