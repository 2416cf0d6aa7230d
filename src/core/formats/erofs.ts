import { LRUCache } from "lru-cache";
import { Fields, toSafeNumber, trimmed } from "../kernel/fields";
import { itemAt } from "../kernel/item-at";
import { lz4Block } from "../kernel/lz4";
import { type ByteSource, ExtentSource, MemorySource, readExactly, WindowSource } from "../kernel/source";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/** EROFS, reading only (Linux, Documentation/filesystems/erofs.rst and fs/erofs/erofs_fs.h). Numbers are little-endian. */
const SUPERBLOCK_AT = 1024;
const MAGIC = 0xe0f5e1e2;
/** Features that move what is read here: addresses of 48 bits, inodes in a box of their own. */
const FEATURES_KNOWN = 0x7f;
const SLOT_BYTES = 32;
const TYPE = { directory: 0x4000, file: 0x8000, link: 0xa000 };
const LAYOUT = { plain: 0, fullIndex: 1, inline: 2, compactIndex: 3, chunks: 4 };
const CHUNK_INDEXES = 0x20;
const NO_BLOCK = 0xffff_ffff;
const CHUNKS_MAX = 1 << 20;
/** Logical clusters of one file: 8 GiB of the usual 4 KiB. */
const CLUSTERS_MAX = 1 << 21;
/** Z_EROFS_PCLUSTER_MAX_SIZE and Z_EROFS_PCLUSTER_MAX_DSIZE. */
const PACKED_MAX_BYTES = 1 << 20;
const UNPACKED_MAX_BYTES = 12 << 20;
const DIRECTORY_MAX_BYTES = 64 << 20;
const LINK_MAX_BYTES = 4096;
const HEAD_BYTES = 8;
const ADVICE = { pairs: 0x1, large1: 0x2, large2: 0x4, inlineTail: 0x8, interlaced: 0x10, fragment: 0x20 };
const CLUSTER = { plain: 0, head1: 1, inner: 2, head2: 3 };
const BLOCK_COUNT = 1 << 11;
const PARTIAL = 0x8000;
/** Features that say which algorithms are used; LZ4, which comes first, is the one that is read here. */
const ALGORITHMS_TOLD = 0x2;
/** Any of these, and a full index has a head that says something: algorithms, inline ends, pieces kept together. */
const HEAD_TOLD = 0x2 | 0x10 | 0x20;
/** What is packed ends with its blocks, with zeros before it; else it begins with them, and does not tell its end. */
const ENDS_WITH_BLOCKS = 0x1;
const LZ4 = 0;
/** Decoded extents kept of a file, for those who read it in small pieces. */
const EXTENTS_KEPT = 4;

interface Geometry {
  blockBytes: number;
  root: number;
  metadataAt: number;
  packed: number;
  built: number;
  label: string | null;
  /** Packed by other algorithms than LZ4. */
  isPackedOtherwise: boolean;
  hasHeads: boolean;
  endsWithBlocks: boolean;
}

interface Inode {
  mode: number;
  layout: number;
  sizeBytes: number;
  /** Address of the first block, or how chunks are told, by the layout. */
  word: number;
  modified: string | null;
  /** Where what follows the inode and its attributes begins. */
  tailAt: number;
}

/** A run of a packed file that is decoded at once; bytes of the file, and where they are on the volume. */
interface Packed {
  start: number;
  end: number;
  at: number;
  lengthBytes: number;
  isPlain: boolean;
  isPartial: boolean;
}

/** How a packed file is stored, from the head of its index. */
interface PackedHead {
  advice: number;
  /** Numbers of the first and the second algorithm. */
  algorithms: [number, number];
  clusterBytes: number;
  inlineBytes: number;
  fragmentAt: number;
}

export interface ErofsEntry extends TreeEntry {
  node: number;
}

function decodeGeometry(bytes: Uint8Array): Geometry | null {
  const fields = new Fields(bytes);
  const bits = fields.u8(12);
  const features = fields.u32le(80);
  if (fields.u32le(0) !== MAGIC || bits < 9 || bits > 16 || features & ~FEATURES_KNOWN) return null;
  const packed = toSafeNumber(fields.u64le(96));
  const blockBytes = 2 ** bits;
  return {
    ...{ blockBytes, root: fields.u16le(14), packed: packed ?? 0 },
    built: Number(fields.u64le(24)),
    metadataAt: fields.u32le(40) * blockBytes,
    label: trimmed(new TextDecoder().decode(fields.slice(64, 16))).replace(/\0.*$/, "") || null,
    isPackedOtherwise: (features & ALGORITHMS_TOLD) !== 0 && (fields.u16le(84) & ~1) !== 0,
    hasHeads: (features & HEAD_TOLD) !== 0,
    endsWithBlocks: (features & ENDS_WITH_BLOCKS) !== 0,
  };
}

export class ErofsTree implements FileTree<ErofsEntry> {
  readonly label: string | null;
  private readonly budget = new DirectoryBudget();

  private constructor(
    private readonly source: ByteSource,
    private readonly geometry: Geometry,
  ) {
    this.label = geometry.label;
  }

  /** Null where there is none, its root is damaged, or it has a form that is newer than what is read here. */
  static async open(source: ByteSource): Promise<ErofsTree | null> {
    const bytes = await readExactly(source, SUPERBLOCK_AT, 128);
    const geometry = bytes && decodeGeometry(bytes);
    if (!geometry) return null;
    const tree = new ErofsTree(source, geometry);
    const root = await tree.inode(geometry.root);
    return root && (root.mode & 0xf000) === TYPE.directory ? tree : null;
  }

  private async inode(node: number): Promise<Inode | null> {
    const at = this.geometry.metadataAt + node * SLOT_BYTES;
    const bytes = Number.isSafeInteger(at) ? await this.source.read(at, 64) : new Uint8Array(0);
    if (bytes.length < 32) return null;
    const fields = new Fields(bytes);
    const isWide = (fields.u16le(0) & 1) === 1;
    if (isWide && bytes.length < 64) return null;
    const sizeBytes = isWide ? toSafeNumber(fields.u64le(8)) : fields.u32le(8);
    const attributes = fields.u16le(2);
    const seconds = isWide ? Number(fields.u64le(32)) : this.geometry.built;
    if (sizeBytes === null) return null;
    return {
      ...{ mode: fields.u16le(4), layout: (fields.u16le(0) >> 1) & 7, sizeBytes, word: fields.u32le(16) },
      modified: seconds < 253_402_300_800 ? new Date(seconds * 1000).toISOString() : null,
      tailAt: at + (isWide ? 64 : 32) + (attributes === 0 ? 0 : 12 + 4 * (attributes - 1)),
    };
  }

  private async content(inode: Inode): Promise<ByteSource | null> {
    const { blockBytes } = this.geometry;
    const { sizeBytes, layout, word, tailAt } = inode;
    if (sizeBytes === 0) return new MemorySource(new Uint8Array(0));
    switch (layout) {
      case LAYOUT.plain:
        return new WindowSource(this.source, word * blockBytes, sizeBytes);
      case LAYOUT.inline: {
        // Whole blocks stand elsewhere, the rest behind the inode.
        const tail = sizeBytes % blockBytes;
        const whole = sizeBytes - tail;
        const extents = [
          ...(whole > 0 ? [{ start: word * blockBytes, lengthBytes: whole }] : []),
          ...(tail > 0 ? [{ start: tailAt, lengthBytes: tail }] : []),
        ];
        return new ExtentSource(this.source, extents, sizeBytes);
      }
      case LAYOUT.chunks:
        return this.chunked(inode);
      case LAYOUT.fullIndex:
      case LAYOUT.compactIndex:
        return this.packedFile(inode);
      default:
        return null;
    }
  }

  private async chunked({ word, tailAt, sizeBytes }: Inode): Promise<ByteSource | null> {
    const { blockBytes } = this.geometry;
    const chunkBytes = blockBytes * 2 ** (word & 0x1f);
    const count = Math.ceil(sizeBytes / chunkBytes);
    const [hasIndexes, width] = word & CHUNK_INDEXES ? [true, 8] : [false, 4];
    if (count > CHUNKS_MAX) return null;
    const table = await readExactly(this.source, aligned(tailAt, width), count * width);
    if (!table) return null;
    const fields = new Fields(table);
    const extents = [];
    for (let nth = 0; nth < count; nth++) {
      const block = fields.u32le(nth * width + (hasIndexes ? 4 : 0));
      if (hasIndexes && fields.u16le(nth * width + 2) > 0) return null;
      extents.push({ start: block === NO_BLOCK ? null : block * blockBytes, lengthBytes: chunkBytes });
    }
    return new ExtentSource(this.source, extents, sizeBytes);
  }

  private async packedFile(inode: Inode): Promise<ByteSource | null> {
    const { blockBytes } = this.geometry;
    const headAt = aligned(inode.tailAt, 8);
    const told = await readExactly(this.source, headAt, HEAD_BYTES);
    if (!told) return null;
    const saysNothing = inode.layout === LAYOUT.fullIndex && !this.geometry.hasHeads;
    const fields = new Fields(saysNothing ? new Uint8Array(HEAD_BYTES) : told);
    // The topmost bit: nothing of the file stands by itself, all of it is in the file that keeps such pieces.
    if (fields.u8(7) & 0x80) {
      const at = toSafeNumber(fields.u64le(0) & ((1n << 63n) - 1n));
      return at === null ? null : this.fragment(at, inode.sizeBytes);
    }
    const algorithms = fields.u8(6);
    const head: PackedHead = {
      advice: fields.u16le(4),
      algorithms: [algorithms & 0xf, algorithms >> 4],
      clusterBytes: blockBytes * 2 ** (fields.u8(7) & 7),
      ...{ inlineBytes: fields.u16le(2), fragmentAt: fields.u32le(0) },
    };
    const clusters = Math.ceil(inode.sizeBytes / head.clusterBytes);
    if (clusters > CLUSTERS_MAX) return null;
    const index = inode.layout === LAYOUT.fullIndex ? fullIndex : compactIndex;
    const runs = await index(this.source, headAt + HEAD_BYTES, { clusters, head, blockBytes, inode });
    const last = runs?.extents.at(-1);
    if (!runs || !last) return null;
    let rest: ByteSource | null = null;
    if (head.advice & ADVICE.fragment) {
      // Where the address is wide, its upper half stands where that of the last run would.
      rest = await this.fragment(head.fragmentAt, last.end - last.start);
      if (!rest) return null;
    } else if (head.advice & ADVICE.inlineTail && head.inlineBytes > 0)
      Object.assign(last, { at: runs.end, lengthBytes: head.inlineBytes });
    return new PackedFile(this.source, inode.sizeBytes, {
      ...{ extents: runs.extents, rest, blockBytes },
      endsWithBlocks: this.geometry.endsWithBlocks,
      isInterlaced: (head.advice & ADVICE.interlaced) !== 0,
    });
  }

  /** A piece of the one file that keeps the ends of others. */
  private async fragment(at: number, lengthBytes: number): Promise<ByteSource | null> {
    const keeper = this.geometry.packed > 0 ? await this.inode(this.geometry.packed) : null;
    if (!keeper || at + lengthBytes > keeper.sizeBytes) return null;
    // That file's own end is its own: what says otherwise would lead in a circle.
    const head = await readExactly(this.source, aligned(keeper.tailAt, 8), HEAD_BYTES);
    if (isPacked(keeper) && (!head || itemAt(head, 7) & 0x80 || itemAt(head, 4) & ADVICE.fragment)) return null;
    const content = await this.content(keeper);
    return content && new WindowSource(content, at, lengthBytes);
  }

  async list(directory: ErofsEntry | null): Promise<ErofsEntry[]> {
    const inode = await this.inode(directory?.node ?? this.geometry.root);
    if (!inode || (inode.mode & 0xf000) !== TYPE.directory || this.budget.isSpent) return [];
    const content = await this.content(inode);
    const entries: ErofsEntry[] = [];
    const end = Math.min(inode.sizeBytes, DIRECTORY_MAX_BYTES);
    for (let at = 0; content && at < end; at += this.geometry.blockBytes) {
      const block = this.budget.take(await content.read(at, Math.min(this.geometry.blockBytes, end - at)));
      for (const { name, node } of namesIn(block)) {
        if (name === "." || name === "..") continue;
        entries.push(await this.entry(name, node));
      }
    }
    return entries;
  }

  private async entry(name: string, node: number): Promise<ErofsEntry> {
    const inode = await this.inode(node);
    if (!inode) return { name, directory: false, sizeBytes: 0, modified: null, node, unreadable: "special" };
    const kind = inode.mode & 0xf000;
    const directory = kind === TYPE.directory;
    const isLink = kind === TYPE.link;
    const isFile = kind === TYPE.file;
    return {
      ...{ name, directory, node, modified: inode.modified, sizeBytes: isFile ? inode.sizeBytes : 0 },
      ...(directory ? { id: node } : {}),
      ...(isLink ? { link: await this.linkOf(inode) } : {}),
      ...(!directory && !isLink && !isFile ? { unreadable: "special" as const } : {}),
      ...(isFile && this.geometry.isPackedOtherwise && isPacked(inode) ? { unreadable: "compressed" as const } : {}),
    };
  }

  private async linkOf(inode: Inode): Promise<string> {
    const content = await this.content(inode);
    return new TextDecoder().decode(await content?.read(0, Math.min(inode.sizeBytes, LINK_MAX_BYTES)));
  }

  async open(file: ErofsEntry): Promise<ByteSource | null> {
    if (file.directory || file.unreadable || file.link !== undefined) return null;
    const inode = await this.inode(file.node);
    return inode && this.content(inode);
  }
}

const isPacked = ({ layout }: Inode) => layout === LAYOUT.fullIndex || layout === LAYOUT.compactIndex;

const aligned = (at: number, bytes: number) => Math.ceil(at / bytes) * bytes;

/** A block of a folder: records of a number and a place each, then the names; the first name tells how many records. */
function namesIn(block: Uint8Array): { name: string; node: number }[] {
  if (block.length < 12) return [];
  const fields = new Fields(block);
  const count = Math.floor(fields.u16le(8) / 12);
  const names: { name: string; node: number }[] = [];
  for (let nth = 0; nth < count && nth * 12 + 12 <= block.length; nth++) {
    const start = fields.u16le(nth * 12 + 8);
    const isLast = nth + 1 >= count || (nth + 1) * 12 + 12 > block.length;
    const end = isLast ? block.length : fields.u16le((nth + 1) * 12 + 8);
    const node = toSafeNumber(fields.u64le(nth * 12));
    if (start >= end || end > block.length || node === null) break;
    // Behind the last name of a block stand zeros.
    const name = new TextDecoder().decode(block.subarray(start, end)).replace(/\0.*$/s, "");
    if (name) names.push({ name, node });
  }
  return names;
}

interface IndexAsked {
  clusters: number;
  head: PackedHead;
  blockBytes: number;
  inode: Inode;
}

interface Runs {
  extents: Packed[];
  /** Where the index ends, which an end that is kept inline follows. */
  end: number;
}

/** Makes runs of what is told of one logical cluster after another. */
class RunsMaking {
  readonly extents: Packed[] = [];
  constructor(private readonly asked: IndexAsked) {}

  begin(cluster: number, kind: number, offset: number, block: number, isPartial: boolean): boolean {
    const { head, blockBytes, inode } = this.asked;
    const start = cluster * head.clusterBytes + offset;
    const before = this.extents.at(-1);
    if (before ? start <= before.start : start !== 0) return false;
    if (before) before.end = start;
    if (before && before.end - before.start > UNPACKED_MAX_BYTES) return false;
    // The last cluster may tell where the file ends.
    if (start >= inode.sizeBytes) return start === inode.sizeBytes;
    const isPlain = kind === CLUSTER.plain;
    if (!isPlain && head.algorithms[kind === CLUSTER.head2 ? 1 : 0] !== LZ4) return false;
    this.extents.push({
      ...{ start, end: inode.sizeBytes, at: block * blockBytes },
      lengthBytes: this.hasLarge(kind) ? blockBytes : head.clusterBytes,
      ...{ isPlain, isPartial },
    });
    return true;
  }

  private hasLarge(kind: number): boolean {
    const { advice } = this.asked.head;
    return (
      (kind === CLUSTER.head1 && !!(advice & ADVICE.large1)) || (kind === CLUSTER.head2 && !!(advice & ADVICE.large2))
    );
  }

  /** How many blocks the run takes that began one cluster before. */
  blocks(count: number): boolean {
    const last = this.extents.at(-1);
    const lengthBytes = count * this.asked.blockBytes;
    if (!last || lengthBytes === 0 || lengthBytes > PACKED_MAX_BYTES) return false;
    last.lengthBytes = lengthBytes;
    return true;
  }

  ended(end: number): Runs | null {
    const last = this.extents.at(-1);
    return last && last.end - last.start <= UNPACKED_MAX_BYTES && last.start < last.end
      ? { extents: this.extents, end }
      : null;
  }
}

/** Eight bytes for each logical cluster, behind eight that are kept free. */
async function fullIndex(source: ByteSource, at: number, asked: IndexAsked): Promise<Runs | null> {
  const [start, width] = [at + 8, 8];
  const bytes = await readExactly(source, start, asked.clusters * width);
  if (!bytes) return null;
  const fields = new Fields(bytes);
  const runs = new RunsMaking(asked);
  for (let nth = 0; nth < asked.clusters; nth++) {
    const advice = fields.u16le(nth * width);
    const kind = advice & 3;
    const count = fields.u16le(nth * width + 4);
    if (kind === CLUSTER.inner) {
      if (count & BLOCK_COUNT && !runs.blocks(count & ~BLOCK_COUNT)) return null;
      continue;
    }
    const [offset, block] = [fields.u16le(nth * width + 2), fields.u32le(nth * width + 4)];
    if (!runs.begin(nth, kind, offset, block, (advice & PARTIAL) !== 0)) return null;
  }
  return runs.ended(start + asked.clusters * width);
}

/**
 * The short index: packs of two clusters in 8 bytes up to a border of 32, then of sixteen in 32 where that is so, then of
 * two again. Each pack ends with the address before its first run.
 */
async function compactIndex(source: ByteSource, start: number, asked: IndexAsked): Promise<Runs | null> {
  const { clusters, head, blockBytes, inode } = asked;
  if (head.clusterBytes > 1 << 14) return null;
  const bits = Math.log2(head.clusterBytes);
  const lowBits = Math.max(bits, 12);
  const blocks = Math.ceil(inode.sizeBytes / blockBytes);
  const first = (((32 - (start % 32)) / 4) & 7) as number;
  const inPairs = head.advice & ADVICE.pairs && first < blocks ? Math.floor((blocks - first) / 16) * 16 : 0;
  if (inPairs > 0 && bits > 12) return null;
  const runs = new RunsMaking(asked);
  const isLarge = (head.advice & ADVICE.large1) !== 0;
  let at = start;
  const bytes = await source.read(start, clusters * 4 + 64);
  for (let nth = 0; nth < clusters; ) {
    const isShort = nth >= first && nth < first + inPairs;
    const [count, packBytes] = isShort ? [16, 32] : [2, 8];
    const pack = bytes.subarray(at - start, at - start + packBytes);
    if (pack.length < packBytes) return null;
    const fields = new Fields(pack);
    const width = ((packBytes - 4) * 8) / count;
    let block = fields.u32le(packBytes - 4) + (isLarge ? 0 : 1);
    for (let i = 0; i < count && nth < clusters; i++, nth++) {
      const value = fields.u32le(Math.min(packBytes - 4, (width * i) >> 3));
      // The last fields of a pack reach into its address: only their own bits are taken.
      const own = value >>> ((width * i) & 7);
      const [low, kind] = [own & (2 ** lowBits - 1), (own >>> lowBits) & 3];
      if (kind === CLUSTER.inner) {
        if (!(low & BLOCK_COUNT)) continue;
        const many = low & ~BLOCK_COUNT;
        if (!isLarge || !runs.blocks(many)) return null;
        // The run's own cluster counted one block, where it stands in this pack.
        block += many - (i > 0 ? 1 : 0);
        continue;
      }
      if (!runs.begin(nth, kind, low, block, false)) return null;
      block++;
    }
    at += packBytes;
  }
  return runs.ended(at);
}

interface PackedParts {
  extents: Packed[];
  /** What the last run is, where it stands in another file. */
  rest: ByteSource | null;
  blockBytes: number;
  isInterlaced: boolean;
  endsWithBlocks: boolean;
}

/** A packed file, whose runs are decoded as they are asked for. */
class PackedFile implements ByteSource {
  private readonly kept = new LRUCache<number, { bytes: Uint8Array | null }>({ max: EXTENTS_KEPT });
  constructor(
    private readonly source: ByteSource,
    readonly sizeBytes: number,
    private readonly parts: PackedParts,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (!(offset >= 0) || !(length > 0) || offset >= this.sizeBytes) return new Uint8Array(0);
    const out = new Uint8Array(Math.min(length, this.sizeBytes - offset));
    let filled = 0;
    while (filled < out.length) {
      const at = offset + filled;
      const nth = this.indexAt(at);
      const run = itemAt(this.parts.extents, nth);
      const bytes = await this.decoded(nth);
      const piece = bytes?.subarray(at - run.start, at - run.start + out.length - filled);
      // A run that cannot be decoded, or is shorter than it should be, ends the content there.
      if (!piece || piece.length === 0) break;
      out.set(piece, filled);
      filled += piece.length;
    }
    return out.subarray(0, filled);
  }

  /** The last run that begins at or before `at`. */
  private indexAt(at: number): number {
    let [low, high] = [0, this.parts.extents.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (itemAt(this.parts.extents, middle).start <= at) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  private async decoded(nth: number): Promise<Uint8Array | null> {
    const kept = this.kept.get(nth);
    if (kept) return kept.bytes;
    const bytes = await this.decode(nth);
    this.kept.set(nth, { bytes });
    return bytes;
  }

  private async decode(nth: number): Promise<Uint8Array | null> {
    const { extents, rest, blockBytes, isInterlaced, endsWithBlocks } = this.parts;
    const run = itemAt(extents, nth);
    const length = run.end - run.start;
    if (rest && nth === extents.length - 1) return readExactly(rest, 0, length);
    const stored = await readExactly(this.source, run.at, run.lengthBytes);
    if (!stored) return null;
    if (run.isPlain) {
      if (!isInterlaced) return stored.subarray(0, length);
      // Each byte stands where it stands in its block of the file, and what runs over begins again in front.
      const skip = run.start % blockBytes;
      const front = stored.subarray(skip, skip + length);
      const out = new Uint8Array(Math.min(length, stored.length));
      out.set(front);
      out.set(stored.subarray(0, out.length - front.length), front.length);
      return out;
    }
    if (!endsWithBlocks) return lz4Block(stored, length, true);
    let skip = 0;
    while (skip < stored.length && stored[skip] === 0) skip++;
    return lz4Block(stored.subarray(skip), length, run.isPartial);
  }
}
