import { LRUCache } from "lru-cache";
import { decompressBlock } from "../kernel/decompress";
import { hex } from "../kernel/fields";
import { type ByteSource, ReadFailed, readExactly } from "../kernel/source";
import { blockDigest, sameBytes } from "../making/writing/blocks";
import {
  BlockIndex,
  decodeFooter,
  decodeHeader,
  FOOTER_BYTES,
  HEADER_BYTES,
  type ImageManifest,
  type IndexEntry,
  imageManifestSchema,
} from "./form";

/** Why an image cannot be read. */
export type ImageFault =
  | { code: "not-an-image" }
  /** It begins as one and does not end as one: saving was cut off, or the end is missing. */
  | { code: "cut-off" }
  /** What stands at its end is not what was written there. */
  | { code: "damaged" }
  /** It goes on from another image, which was not given. */
  | { code: "before-missing"; id: string }
  /** The one that was given is another one, or is not what it was. */
  | { code: "before-differs"; id: string };

export type OpenedImage = { ok: true; reader: ImageReader } | { ok: false; fault: ImageFault };

/** Unpacks one block to exactly `bytes`; null where it is damaged. */
export type Unpack = (packed: Uint8Array, bytes: number) => Promise<Uint8Array | null>;

const unpackHere: Unpack = async (packed, bytes) => {
  const block = await decompressBlock("zstd", packed, bytes);
  return block?.length === bytes ? block : null;
};

/** Blocks kept unpacked, for small reads beside each other. */
const BLOCKS_KEPT = 16;
/** Blocks that are read and unpacked while one is looked at. */
const READ_AHEAD = 6;
/** Images before one: each day for a year, and more. */
const BEFORE_MAX = 400;

/** A block that is not what it was saved as. */
export interface BlockFault {
  number: number;
  why: "unreadable" | "differs" | "missing-before";
}

/**
 * A disk as it was, read from an image: a source like the disk itself, in which what was not saved reads as zeros.
 * Reading throws `ReadFailed` where a block is damaged.
 */
export class ImageReader implements ByteSource {
  readonly sizeBytes: number;
  private readonly kept = new LRUCache<number, Promise<Uint8Array>>({ max: BLOCKS_KEPT });
  private constructor(
    private readonly file: ByteSource,
    readonly manifest: ImageManifest,
    /** Of header, index, manifest and footer: what an image that goes on from this one names it by. */
    readonly digest: string,
    private readonly index: BlockIndex,
    private readonly before: ImageReader | null,
    private readonly unpack: Unpack,
  ) {
    this.sizeBytes = manifest.disk.bytes;
  }

  /** Opens an image; `before` finds the one that it goes on from. */
  static async open(
    file: ByteSource,
    before: (id: string) => Promise<ByteSource | null> = async () => null,
    unpack: Unpack = unpackHere,
  ): Promise<OpenedImage> {
    return ImageReader.openAt(file, before, unpack, 0);
  }

  private static async openAt(
    file: ByteSource,
    before: (id: string) => Promise<ByteSource | null>,
    unpack: Unpack,
    depth: number,
  ): Promise<OpenedImage> {
    const fail = (fault: ImageFault): OpenedImage => ({ ok: false, fault });
    const ends = await readEnds(file);
    if (!ends.ok) return ends;
    const { manifest, digest, index } = ends;
    let earlier: ImageReader | null = null;
    if (manifest.before) {
      const { id } = manifest.before;
      const source = depth < BEFORE_MAX ? await before(id) : null;
      if (!source) return fail({ code: "before-missing", id });
      const opened = await ImageReader.openAt(source, before, unpack, depth + 1);
      if (!opened.ok) return opened.fault.code === "not-an-image" ? fail({ code: "before-differs", id }) : opened;
      if (opened.reader.manifest.id !== id || opened.reader.digest !== manifest.before.digest)
        return fail({ code: "before-differs", id });
      earlier = opened.reader;
    }
    return { ok: true, reader: new ImageReader(file, manifest, digest, index, earlier, unpack) };
  }

  /** The blocks that hold something, as the index has them, in order. */
  *entries(): Generator<IndexEntry> {
    for (let at = 0; at < this.index.count; at++) {
      const entry = this.index.at(at);
      if (entry) yield entry;
    }
  }

  /** Blocks in order of what is asked for, the next ones read while the last one is looked at. */
  async *blocks(wanted: Iterable<IndexEntry>): AsyncGenerator<{ entry: IndexEntry; block: Uint8Array }> {
    const underWay: { entry: IndexEntry; block: Promise<Uint8Array> }[] = [];
    for (const entry of wanted) {
      const block = this.readBlock(entry.number);
      // It is waited for in its turn; until then nobody hears of what went wrong.
      block.catch(() => {});
      underWay.push({ entry, block });
      const next = underWay.length > READ_AHEAD ? underWay.shift() : undefined;
      if (next) yield { entry: next.entry, block: await next.block };
    }
    for (const { entry, block } of underWay) yield { entry, block: await block };
  }

  /** SHA-256 of a block that is in the image; null where it is not. */
  digestOf(number: number): Uint8Array | null {
    return this.index.find(number)?.digest ?? null;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const { blockBytes } = this.manifest;
    const end = Math.min(offset + length, this.sizeBytes);
    if (!(offset >= 0) || !(offset < end)) return new Uint8Array(0);
    const out = new Uint8Array(end - offset);
    for (let at = offset; at < end; ) {
      const number = Math.floor(at / blockBytes);
      const within = at - number * blockBytes;
      const wanted = Math.min(blockBytes - within, end - at);
      if (this.index.find(number)) {
        const block = await this.block(number);
        out.set(block.subarray(within, within + wanted), at - offset);
      }
      at += wanted;
    }
    return out;
  }

  private block(number: number): Promise<Uint8Array> {
    const known = this.kept.get(number);
    if (known) return known;
    const block = this.readBlock(number);
    this.kept.set(number, block);
    block.catch(() => this.kept.delete(number));
    return block;
  }

  /** Reads every block and compares it with its digest; the faults, at most `limit` of them. */
  async verify(onProgress?: (done: number, of: number) => void, limit = 100): Promise<BlockFault[]> {
    const faults: BlockFault[] = [];
    const underWay: Promise<BlockFault | null>[] = [];
    let [last, done] = [-1, 0];
    const take = async () => {
      const fault = await underWay.shift();
      if (fault) faults.push(fault);
      onProgress?.(++done, this.index.count);
    };
    for (let at = 0; at < this.index.count && faults.length < limit; at++) {
      const entry = this.index.at(at);
      // Blocks rise by number, and none lies past the disk: else it is found twice, or never.
      const isInOrder = entry && entry.number > last && entry.number * this.manifest.blockBytes < this.sizeBytes;
      last = Math.max(last, entry?.number ?? -1);
      underWay.push(
        isInOrder ? this.faultOf(entry) : Promise.resolve({ number: entry?.number ?? last + 1, why: "unreadable" }),
      );
      if (underWay.length > READ_AHEAD) await take();
    }
    while (underWay.length > 0) await take();
    return faults.slice(0, limit);
  }

  private async faultOf(entry: IndexEntry): Promise<BlockFault | null> {
    const { number } = entry;
    try {
      const block = await this.content(entry);
      if (block === null) return { number, why: entry.kind === "before" ? "missing-before" : "unreadable" };
      return sameBytes(await blockDigest(block), entry.digest) ? null : { number, why: "differs" };
    } catch (error) {
      if (error instanceof ReadFailed) return { number, why: "unreadable" };
      throw error;
    }
  }

  private async readBlock(number: number): Promise<Uint8Array> {
    const entry = this.index.find(number);
    const block = entry && (await this.content(entry));
    if (!entry || !block || !sameBytes(await blockDigest(block), entry.digest))
      throw new ReadFailed(number * this.manifest.blockBytes, this.bytesOf(number));
    return block;
  }

  private bytesOf(number: number): number {
    const { blockBytes } = this.manifest;
    return Math.max(0, Math.min(blockBytes, this.sizeBytes - number * blockBytes));
  }

  /** What a block holds, not compared with its digest; null where it is damaged or is not there. */
  private async content({ number, kind, offset, packedBytes }: IndexEntry): Promise<Uint8Array | null> {
    const bytes = this.bytesOf(number);
    if (kind === "zero") return new Uint8Array(bytes);
    if (kind === "before") {
      const earlier = this.before?.index.find(number);
      return earlier && this.before ? this.before.content(earlier) : null;
    }
    // What does not shrink is kept as a frame of plain blocks, some bytes longer than it is.
    if (packedBytes > this.manifest.blockBytes * 2) return null;
    const packed = await readExactly(this.file, offset, packedBytes);
    return packed && this.unpack(packed, bytes);
  }
}

interface Ends {
  ok: true;
  manifest: ImageManifest;
  digest: string;
  index: BlockIndex;
}

/** What stands before and behind the blocks of an image, compared with its own SHA-256. */
async function readEnds(file: ByteSource): Promise<Ends | { ok: false; fault: ImageFault }> {
  const fail = (code: "not-an-image" | "cut-off" | "damaged") => ({ ok: false, fault: { code } }) as const;
  const headerBytes = await readExactly(file, 0, HEADER_BYTES);
  const header = headerBytes && decodeHeader(headerBytes);
  if (!headerBytes || !header) return fail("not-an-image");
  const footerBytes = await readExactly(file, file.sizeBytes - FOOTER_BYTES, FOOTER_BYTES);
  const footer = footerBytes && decodeFooter(footerBytes, file.sizeBytes);
  if (!footerBytes || !footer) return fail("cut-off");
  const tail = await readExactly(file, footer.indexOffset, footer.indexBytes + footer.manifestBytes);
  if (!tail) return fail("cut-off");
  const digest = await digestOfEnds(headerBytes, tail, footerBytes);
  const manifest = sameBytes(digest, footer.digest) ? readManifest(tail.subarray(footer.indexBytes)) : null;
  if (!manifest || manifest.id !== header.id || manifest.blockBytes !== header.blockBytes) return fail("damaged");
  return { ok: true, manifest, digest: hex(digest), index: new BlockIndex(tail.subarray(0, footer.indexBytes)) };
}

/** What an image says of itself, without those that it goes on from. */
export async function imageManifestOf(
  file: ByteSource,
): Promise<{ ok: true; manifest: ImageManifest } | { ok: false; fault: ImageFault }> {
  const ends = await readEnds(file);
  return ends.ok ? { ok: true, manifest: ends.manifest } : ends;
}

/** SHA-256 of what leads to the blocks. */
export async function digestOfEnds(header: Uint8Array, tail: Uint8Array, footer: Uint8Array): Promise<Uint8Array> {
  const own = footer.subarray(0, FOOTER_BYTES - 32);
  const all = new Uint8Array(header.length + tail.length + own.length);
  all.set(header);
  all.set(tail, header.length);
  all.set(own, header.length + tail.length);
  return blockDigest(all);
}

function readManifest(bytes: Uint8Array): ImageManifest | null {
  try {
    const parsed = imageManifestSchema.safeParse(JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(bytes)));
    return parsed.success ? parsed.data : null;
  } catch {
    return null;
  }
}
