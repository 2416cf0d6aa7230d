import { LRUCache } from "lru-cache";
import { itemAt } from "./item-at";
/**
 * Where bytes come from. A browser `File`, a Node file handle, a test buffer and a window onto another source
 * (a partition, a start image on a disc, a file inside a file) all answer the same two questions: how long are
 * you, and what is in this range.
 */
export interface ByteSource {
  /** Length in bytes. */
  readonly sizeBytes: number;
  /**
   * The bytes of `[offset, offset + length)`, cut at the end of the source: a short answer is an ordinary one.
   * Throws `ReadFailed` only where the device or file itself cannot be read.
   */
  read(offset: number, length: number): Promise<Uint8Array>;
  /** As `read`, into memory that is there already; gives how many bytes. For those who read much, and keep nothing. */
  readInto?(offset: number, target: Uint8Array): Promise<number>;
}

/** Reads into memory that is there already, from whatever source or device; gives how many bytes. */
export async function readInto(
  source: Pick<ByteSource, "read" | "readInto">,
  offset: number,
  target: Uint8Array,
): Promise<number> {
  if (source.readInto) return source.readInto(offset, target);
  const bytes = await source.read(offset, target.length);
  target.set(bytes);
  return bytes.length;
}

/** The file or device under a source could not be read: not a matter of its content. */
export class ReadFailed extends Error {
  override readonly name = "ReadFailed";
  constructor(
    readonly offset: number,
    readonly length: number,
    options?: { cause?: unknown },
  ) {
    super(`Reading ${length} bytes at offset ${offset} failed.`, options);
  }
}

const NOTHING = new Uint8Array(0);

/** The part of `[offset, offset + length)` that lies inside a source of `sizeBytes`; null where none does. */
function clip(sizeBytes: number, offset: number, length: number): { offset: number; length: number } | null {
  if (!(offset >= 0) || !(length > 0) || offset >= sizeBytes) return null;
  return { offset, length: Math.min(length, sizeBytes - offset) };
}

/** Bytes in memory. */
export class MemorySource implements ByteSource {
  readonly sizeBytes: number;
  constructor(private readonly bytes: Uint8Array) {
    this.sizeBytes = bytes.byteLength;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const part = clip(this.sizeBytes, offset, length);
    return part ? this.bytes.subarray(part.offset, part.offset + part.length) : NOTHING;
  }
}

/** A `Blob` or `File`, in the browser, a worker or Node. */
export class BlobSource implements ByteSource {
  readonly sizeBytes: number;
  constructor(private readonly blob: Blob) {
    this.sizeBytes = blob.size;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const part = clip(this.sizeBytes, offset, length);
    if (!part) return NOTHING;
    try {
      return new Uint8Array(await this.blob.slice(part.offset, part.offset + part.length).arrayBuffer());
    } catch (cause) {
      throw new ReadFailed(part.offset, part.length, { cause });
    }
  }
}

/** A source whose bytes are those of another one, at other places. */
abstract class SourceOnSource implements ByteSource {
  abstract readonly sizeBytes: number;
  abstract readonly parent: ByteSource;
  abstract read(offset: number, length: number): Promise<Uint8Array>;
  /** Where ranges of it lie on its parent; holes are left out. */
  onParent(ranges: ByteRange[]): ByteRange[] {
    return ranges;
  }
}

/** A range of another source, as a source of its own: `[start, start + lengthBytes)`, cut at the parent's end. */
export class WindowSource extends SourceOnSource {
  readonly sizeBytes: number;
  constructor(
    readonly parent: ByteSource,
    readonly start: number,
    lengthBytes: number,
  ) {
    super();
    this.sizeBytes = Math.max(0, Math.min(lengthBytes, parent.sizeBytes - start));
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const part = clip(this.sizeBytes, offset, length);
    return part ? this.parent.read(this.start + part.offset, part.length) : NOTHING;
  }
  async readInto(offset: number, target: Uint8Array): Promise<number> {
    const part = clip(this.sizeBytes, offset, target.length);
    return part ? readInto(this.parent, this.start + part.offset, target.subarray(0, part.length)) : 0;
  }
  override onParent(ranges: ByteRange[]): ByteRange[] {
    return ranges.map((range) => ({ start: this.start + range.start, lengthBytes: range.lengthBytes }));
  }
}

/** A source that ends in the middle of a block, filled up with zeros to its end, as it is when written to a device. */
export class PaddedSource extends SourceOnSource {
  readonly sizeBytes: number;
  constructor(
    readonly parent: ByteSource,
    blockBytes: number,
  ) {
    super();
    this.sizeBytes = Math.ceil(parent.sizeBytes / blockBytes) * blockBytes;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const part = clip(this.sizeBytes, offset, length);
    if (!part) return NOTHING;
    const got = await this.parent.read(part.offset, part.length);
    if (got.length === part.length) return got;
    const out = new Uint8Array(part.length);
    out.set(got);
    return out;
  }
}

/** One run of consecutive bytes of a parent; `start: null` is a hole that reads as zeros. */
export interface Extent {
  start: number | null;
  lengthBytes: number;
}

/** Several ranges of a parent strung together: a file in its clusters or extents. */
export class ExtentSource extends SourceOnSource {
  readonly sizeBytes: number;
  private readonly starts: number[] = [];
  constructor(
    readonly parent: ByteSource,
    private readonly extents: readonly Extent[],
    sizeBytes: number,
  ) {
    super();
    let total = 0;
    for (const extent of extents) {
      this.starts.push(total);
      total += extent.lengthBytes;
    }
    this.sizeBytes = Math.min(sizeBytes, total);
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const part = clip(this.sizeBytes, offset, length);
    if (!part) return NOTHING;
    const out = new Uint8Array(part.length);
    let filled = 0;
    for (let i = this.indexAt(part.offset); i < this.extents.length && filled < part.length; i++) {
      const extent = itemAt(this.extents, i);
      const within = part.offset + filled - itemAt(this.starts, i);
      const wanted = Math.min(extent.lengthBytes - within, part.length - filled);
      if (extent.start !== null) {
        const got = await this.parent.read(extent.start + within, wanted);
        out.set(got, filled);
        if (got.length < wanted) return out.subarray(0, filled + got.length);
      }
      filled += wanted;
    }
    return out;
  }
  override onParent(ranges: ByteRange[]): ByteRange[] {
    const result: ByteRange[] = [];
    for (const range of ranges) {
      const end = Math.min(range.start + range.lengthBytes, this.sizeBytes);
      for (let i = this.indexAt(range.start), at = range.start; i < this.extents.length && at < end; i++) {
        const extent = itemAt(this.extents, i);
        const within = at - itemAt(this.starts, i);
        const lengthBytes = Math.min(extent.lengthBytes - within, end - at);
        if (extent.start !== null && lengthBytes > 0) result.push({ start: extent.start + within, lengthBytes });
        at += lengthBytes;
      }
    }
    return result;
  }
  private indexAt(offset: number): number {
    let low = 0;
    let high = this.starts.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (itemAt(this.starts, middle) <= offset) low = middle;
      else high = middle - 1;
    }
    return low;
  }
}

/** What `CachedSource` keeps: 64 pages of 16 KiB, 1 MiB in all; directories and tables are far smaller. */
const PAGE_BYTES = 16 * 1024;
const PAGES_KEPT = 64;

/** Reads a parent in whole pages and keeps the latest ones, so that small neighbouring reads cost one. */
export class CachedSource extends SourceOnSource {
  readonly sizeBytes: number;
  private readonly pages = new LRUCache<number, Promise<Uint8Array>>({ max: PAGES_KEPT });
  /** Bytes asked of the parent so far. */
  bytesRead = 0;
  constructor(readonly parent: ByteSource) {
    super();
    this.sizeBytes = parent.sizeBytes;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const part = clip(this.sizeBytes, offset, length);
    if (!part) return NOTHING;
    const first = Math.floor(part.offset / PAGE_BYTES);
    const last = Math.floor((part.offset + part.length - 1) / PAGE_BYTES);
    if (last - first >= PAGES_KEPT / 2) {
      this.bytesRead += part.length;
      return this.parent.read(part.offset, part.length);
    }
    if (first === last) {
      const page = await this.page(first);
      const at = part.offset - first * PAGE_BYTES;
      return page.subarray(at, at + part.length);
    }
    const out = new Uint8Array(part.length);
    let filled = 0;
    for (let number = first; number <= last; number++) {
      const page = await this.page(number);
      const at = Math.max(0, part.offset - number * PAGE_BYTES);
      const piece = page.subarray(at, Math.min(page.length, at + part.length - filled));
      out.set(piece, filled);
      filled += piece.length;
    }
    return out.subarray(0, filled);
  }
  private page(number: number): Promise<Uint8Array> {
    const keptPage = this.pages.get(number);
    if (keptPage) return keptPage;
    const page = this.parent.read(number * PAGE_BYTES, PAGE_BYTES);
    this.bytesRead += Math.min(PAGE_BYTES, this.sizeBytes - number * PAGE_BYTES);
    this.pages.set(number, page);
    return page;
  }
}

/** A range of bytes. */
export interface ByteRange {
  start: number;
  lengthBytes: number;
}

/**
 * Where the bytes of a source lie on the medium that it was cut from, in its order, holes left out; null where they do
 * not lie there as they are (unpacked content, or bytes in memory).
 */
export function rangesOn(medium: ByteSource, source: ByteSource): ByteRange[] | null {
  const whole = [{ start: 0, lengthBytes: source.sizeBytes }];
  if (source === medium) return whole;
  const step = source instanceof SourceOnSource ? source.onParent(whole) : null;
  return step && source instanceof SourceOnSource ? mapDown(medium, source.parent, step) : null;
}

function mapDown(medium: ByteSource, source: ByteSource, ranges: ByteRange[]): ByteRange[] | null {
  if (source === medium) return ranges;
  if (!(source instanceof SourceOnSource)) return null;
  return mapDown(medium, source.parent, source.onParent(ranges));
}

/** Exactly `length` bytes at `offset`, or null where the source ends before that. */
export async function readExactly(source: ByteSource, offset: number, length: number): Promise<Uint8Array | null> {
  const bytes = await source.read(offset, length);
  return bytes.length === length ? bytes : null;
}
