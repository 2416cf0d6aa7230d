import { LRUCache } from "lru-cache";
import { type Compression, decompressBlock } from "../kernel/decompress";
import { Fields, hasText, toSafeNumber } from "../kernel/fields";
import { lzoBlock } from "../kernel/lzo";
import { type ByteSource, readExactly } from "../kernel/source";
import { ZstdGuard } from "../kernel/zstd-guard";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/**
 * btrfs on one device, reading only (the kernel's btrfs_tree.h; "On-disk Format" of its documentation): its default
 * subvolume with those below it. Addresses are logical ones; chunks say where they lie.
 */
const SUPER_AT = 65_536;
const SUPER_BYTES = 4096;
const HEAD_BYTES = 101;
const ITEM_BYTES = 25;
const POINTER_BYTES = 33;
const KEY = { inode: 1, dirItem: 84, dirIndex: 96, extent: 108, root: 132, chunk: 228 };
const OBJECT = { rootTree: 1, chunkTree: 3, fsTree: 5, rootDir: 6, chunks: 256, firstFree: 256 };
/** Kinds of chunk that lie in stripes over several devices, or need others to be read. */
const STRIPED = 8 | 64 | 128 | 256;
const LEVELS_MAX = 8;
const CHUNKS_MAX = 100_000;
const ENTRIES_MAX = 1_000_000;
const EXTENTS_MAX = 1 << 18;
const NODES_KEPT = 256;
const COMPRESSIONS: Record<number, Compression | "zlib"> = { 1: "zlib", 2: "lzo", 3: "zstd" };
/** An extent is compressed in pieces of at most 128 KiB. */
const PACKED_MAX_BYTES = 1 << 20;
const TYPE = { directory: 2, link: 7, file: 1 };
const LINK_MAX_BYTES = 4096;

interface Chunk {
  logical: number;
  lengthBytes: number;
  physical: number;
}

interface Key {
  object: number;
  type: number;
  offset: number;
}

interface Item extends Key {
  data: Fields;
}

export interface BtrfsEntry extends TreeEntry {
  /** The subvolume's tree, by the address of its root, and the inode in it. */
  tree: number;
  inode: number;
}

export class BtrfsTree implements FileTree<BtrfsEntry> {
  private readonly nodes: LRUCache<number, Promise<Uint8Array | null>>;
  private readonly budget = new DirectoryBudget();
  /** Trees in the order in which they were met: a folder's number is told from those of other trees by it. */
  private readonly trees: number[] = [];
  private root: { tree: number; inode: number } = { tree: 0, inode: OBJECT.firstFree };

  private constructor(
    private readonly source: ByteSource,
    readonly label: string | null,
    private readonly nodeBytes: number,
    private readonly chunks: Chunk[],
    private readonly rootTree: number,
  ) {
    this.nodes = new LRUCache({ max: NODES_KEPT });
  }

  /** Null where there is none, or its trees are damaged at their root. */
  static async open(source: ByteSource): Promise<BtrfsTree | null> {
    const bytes = await readExactly(source, SUPER_AT, SUPER_BYTES);
    if (!bytes || !hasText(bytes, 64, "_BHRfS_M")) return null;
    const fields = new Fields(bytes);
    const nodeBytes = fields.u32le(0x94);
    const [root, chunkRoot] = [toSafeNumber(fields.u64le(0x50)), toSafeNumber(fields.u64le(0x58))];
    const isPower = (nodeBytes & (nodeBytes - 1)) === 0;
    if (root === null || chunkRoot === null || !isPower || nodeBytes < 4096 || nodeBytes > 65_536) return null;
    const label = new TextDecoder().decode(bytes.subarray(0x12b, 0x22b)).replace(/\0[\s\S]*$/, "") || null;
    const chunks = systemChunks(fields);
    const tree = new BtrfsTree(source, label, nodeBytes, chunks, root);
    await tree.readChunks(chunkRoot);
    const volume = await tree.defaultVolume();
    if (volume === null) return null;
    tree.root = { tree: volume, inode: OBJECT.firstFree };
    return tree;
  }

  private async readChunks(root: number): Promise<void> {
    for await (const item of this.items(root, OBJECT.chunks, KEY.chunk)) {
      const chunk = chunkOf(item.offset, item.data);
      if (chunk && this.chunks.length < CHUNKS_MAX) this.chunks.push(chunk);
    }
    this.chunks.sort((one, other) => one.logical - other.logical);
  }

  /** The root of the tree that is mounted where nobody says which; the first one otherwise. */
  private async defaultVolume(): Promise<number | null> {
    for await (const { data } of this.items(this.rootTree, OBJECT.rootDir, KEY.dirItem)) {
      const id = toSafeNumber(data.u64le(0));
      const root = id === null ? null : await this.rootOf(id);
      if (root !== null) return root;
    }
    return this.rootOf(OBJECT.fsTree);
  }

  private async rootOf(id: number): Promise<number | null> {
    for await (const { data } of this.items(this.rootTree, id, KEY.root))
      if (data.length >= 184) return toSafeNumber(data.u64le(176));
    return null;
  }

  private physical(logical: number): { at: number; leftBytes: number } | null {
    let [low, high] = [0, this.chunks.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.chunks[middle] as Chunk).logical <= logical) low = middle + 1;
      else high = middle;
    }
    const chunk = this.chunks[low - 1];
    if (!chunk || logical >= chunk.logical + chunk.lengthBytes) return null;
    const within = logical - chunk.logical;
    return { at: chunk.physical + within, leftBytes: chunk.lengthBytes - within };
  }

  private node(logical: number): Promise<Uint8Array | null> {
    const known = this.nodes.get(logical);
    if (known) return known;
    const place = this.physical(logical);
    const node = place ? readExactly(this.source, place.at, this.nodeBytes) : Promise.resolve(null);
    this.nodes.set(logical, node);
    return node;
  }

  /** The items of one object and type, in order, found from the root down. */
  private async *items(root: number, object: number, type: number, fromOffset = 0): AsyncGenerator<Item> {
    yield* this.itemsBelow(root, { object, type, offset: fromOffset }, 0, { left: ENTRIES_MAX });
  }

  private async *itemsBelow(
    logical: number,
    wanted: Key,
    depth: number,
    budget: { left: number },
  ): AsyncGenerator<Item> {
    const node = depth < LEVELS_MAX && budget.left > 0 ? await this.node(logical) : null;
    if (!node) return;
    const fields = new Fields(node);
    const [many, level] = [fields.u32le(0x60), fields.u8(0x64)];
    const width = level === 0 ? ITEM_BYTES : POINTER_BYTES;
    const count = Math.min(many, Math.floor((node.length - HEAD_BYTES) / width));
    if (level > 0) {
      // From the last key that is not behind what is wanted, on to the first that is.
      let first = 0;
      while (first + 1 < count && order(keyAt(fields, HEAD_BYTES + (first + 1) * width), wanted) <= 0) first++;
      for (let nth = first; nth < count; nth++) {
        const key = keyAt(fields, HEAD_BYTES + nth * width);
        if (nth > first && isBehind(key, wanted)) return;
        const child = toSafeNumber(fields.u64le(HEAD_BYTES + nth * width + 17));
        if (child !== null && child !== logical) yield* this.itemsBelow(child, wanted, depth + 1, budget);
      }
      return;
    }
    for (let nth = 0; nth < count; nth++) {
      const at = HEAD_BYTES + nth * width;
      const key = keyAt(fields, at);
      if (isBehind(key, wanted)) return;
      if (key.object !== wanted.object || key.type !== wanted.type || key.offset < wanted.offset) continue;
      if (budget.left-- <= 0) return;
      const [start, bytes] = [HEAD_BYTES + fields.u32le(at + 17), fields.u32le(at + 21)];
      if (start + bytes <= node.length) yield { ...key, data: new Fields(node.subarray(start, start + bytes)) };
    }
  }

  async list(directory: BtrfsEntry | null): Promise<BtrfsEntry[]> {
    const { tree, inode } = directory ?? this.root;
    const entries: BtrfsEntry[] = [];
    if (this.budget.isSpent) return entries;
    for await (const { data } of this.items(tree, inode, KEY.dirIndex)) {
      const entry = await this.entry(tree, data);
      this.budget.take(new Uint8Array(data.length));
      if (entry) entries.push(entry);
    }
    return entries;
  }

  private async entry(tree: number, data: Fields): Promise<BtrfsEntry | null> {
    if (data.length < 30) return null;
    const [object, type] = [toSafeNumber(data.u64le(0)), data.u8(8)];
    const nameBytes = data.u16le(27);
    if (object === null || 30 + nameBytes > data.length) return null;
    const name = new TextDecoder().decode(data.slice(30, nameBytes));
    // A subvolume is a folder with a tree of its own.
    const own = type === KEY.root ? await this.rootOf(object) : tree;
    const inode = type === KEY.root ? OBJECT.firstFree : object;
    if (own === null) return null;
    const kind = type === KEY.root ? TYPE.directory : data.u8(29);
    const found = await this.inode(own, inode);
    const directory = kind === TYPE.directory;
    const entry: BtrfsEntry = {
      ...{ name, directory, sizeBytes: directory || kind === TYPE.link ? 0 : (found?.sizeBytes ?? 0) },
      ...{ modified: found?.modified ?? null, tree: own, inode },
      ...(directory ? { id: this.folderId(own, inode) } : {}),
      ...(!directory && kind !== TYPE.file && kind !== TYPE.link ? { unreadable: "special" as const } : {}),
    };
    if (kind === TYPE.link) {
      const content = await this.content(own, inode, Math.min(found?.sizeBytes ?? 0, LINK_MAX_BYTES));
      entry.link = content ? new TextDecoder().decode(await content.read(0, LINK_MAX_BYTES)) : "";
    }
    return entry;
  }

  private folderId(tree: number, inode: number): number {
    if (!this.trees.includes(tree)) this.trees.push(tree);
    return this.trees.indexOf(tree) * 2 ** 40 + inode;
  }

  private async inode(tree: number, inode: number): Promise<{ sizeBytes: number; modified: string | null } | null> {
    for await (const { data } of this.items(tree, inode, KEY.inode)) {
      if (data.length < 160) return null;
      const [size, seconds] = [toSafeNumber(data.u64le(16)), toSafeNumber(data.u64le(136))];
      const isDay = seconds !== null && seconds < 253_402_300_800;
      return { sizeBytes: size ?? 0, modified: isDay ? new Date(seconds * 1000).toISOString() : null };
    }
    return null;
  }

  async open(file: BtrfsEntry): Promise<ByteSource | null> {
    if (file.directory || file.unreadable || file.link !== undefined) return null;
    return this.content(file.tree, file.inode, file.sizeBytes);
  }

  private async content(tree: number, inode: number, sizeBytes: number): Promise<ByteSource | null> {
    const extents: FileExtent[] = [];
    for await (const { offset, data } of this.items(tree, inode, KEY.extent)) {
      const extent = extentOf(offset, data);
      if (!extent || extents.length >= EXTENTS_MAX) return null;
      extents.push(extent);
    }
    return new BtrfsFile(sizeBytes, extents, (logical, length) => this.bytes(logical, length));
  }

  /** Bytes at a logical address, over the edges of chunks; null where they are nowhere. */
  private async bytes(logical: number, length: number): Promise<Uint8Array | null> {
    const out = new Uint8Array(length);
    for (let at = 0; at < length; ) {
      const place = this.physical(logical + at);
      const part = place && (await readExactly(this.source, place.at, Math.min(length - at, place.leftBytes)));
      if (!part || part.length === 0) return null;
      out.set(part, at);
      at += part.length;
    }
    return out;
  }
}

interface FileExtent {
  /** Place in the file, and how much of the file it is. */
  start: number;
  lengthBytes: number;
  /** Unpacked size of all of it, and where in that this part begins. */
  unpackedBytes: number;
  within: number;
  /** Null: zeros. */
  logical: number | null;
  storedBytes: number;
  inline: Uint8Array | null;
  compression: Compression | "zlib" | null;
}

/** Null where it is packed in an unknown way, or encrypted. */
function extentOf(start: number, data: Fields): FileExtent | null {
  if (data.length < 21) return null;
  const unpacked = toSafeNumber(data.u64le(8));
  const [packing, encryption, kind] = [data.u8(16), data.u8(17), data.u8(20)];
  const compression = COMPRESSIONS[packing] ?? null;
  if (unpacked === null || encryption !== 0 || (packing !== 0 && !compression)) return null;
  if (kind === 0) {
    const inline = data.slice(21, data.length - 21);
    const common = { start, lengthBytes: unpacked, unpackedBytes: unpacked, within: 0, storedBytes: inline.length };
    return { ...common, logical: null, inline, compression };
  }
  if (data.length < 53) return null;
  const [logical, stored, within, length] = [21, 29, 37, 45].map((at) => toSafeNumber(data.u64le(at)));
  if (logical == null || stored == null || within == null || length == null) return null;
  // A place that is only set aside reads as zeros, and so does a hole.
  const isHole = kind === 2 || logical === 0;
  const common = { start, lengthBytes: length, unpackedBytes: unpacked, within, storedBytes: stored };
  return { ...common, logical: isHole ? null : logical, inline: null, compression };
}

/** A file by its extents, unpacked as it is read. */
class BtrfsFile implements ByteSource {
  private latest: { extent: FileExtent; bytes: Promise<Uint8Array | null> } | null = null;
  constructor(
    readonly sizeBytes: number,
    private readonly extents: readonly FileExtent[],
    private readonly load: (logical: number, length: number) => Promise<Uint8Array | null>,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    const end = Math.min(offset + length, this.sizeBytes);
    if (!(offset >= 0) || end <= offset) return new Uint8Array(0);
    const out = new Uint8Array(end - offset);
    for (const extent of this.extents) {
      const [from, to] = [Math.max(offset, extent.start), Math.min(end, extent.start + extent.lengthBytes)];
      if (to <= from || (extent.logical === null && !extent.inline)) continue;
      const part = await this.part(extent, from - extent.start, to - from);
      // What cannot be read ends the answer: zeros in its place would be a guess.
      if (!part) return out.subarray(0, from - offset);
      out.set(part, from - offset);
    }
    return out;
  }

  private async part(extent: FileExtent, at: number, length: number): Promise<Uint8Array | null> {
    const { logical, inline, compression, within } = extent;
    if (!compression && logical !== null) return this.load(logical + within + at, length);
    if (!compression) return inline && at + length <= inline.length ? inline.subarray(at, at + length) : null;
    if (this.latest?.extent !== extent) this.latest = { extent, bytes: this.unpacked(extent, compression) };
    const bytes = await this.latest.bytes;
    return bytes && within + at + length <= bytes.length ? bytes.subarray(within + at, within + at + length) : null;
  }

  private async unpacked(extent: FileExtent, compression: Compression | "zlib"): Promise<Uint8Array | null> {
    const { logical, inline, storedBytes, unpackedBytes } = extent;
    if (storedBytes > PACKED_MAX_BYTES || unpackedBytes > PACKED_MAX_BYTES) return null;
    const packed = inline ?? (logical === null ? null : await this.load(logical, storedBytes));
    if (!packed) return null;
    const bytes =
      compression === "lzo" ? lzoPieces(packed, unpackedBytes) : await unpack(compression, packed, unpackedBytes);
    if (!bytes) return null;
    // The last piece of a file is not filled up.
    const whole = new Uint8Array(unpackedBytes);
    whole.set(bytes.subarray(0, unpackedBytes));
    return whole;
  }
}

const SECTOR_BYTES = 4096;

/** A stream ends somewhere in its last sector, which zeros fill up. */
async function unpack(kind: Compression | "zlib", packed: Uint8Array, most: number): Promise<Uint8Array | null> {
  if (kind !== "zstd") return decompressBlock(kind, packed, Math.max(most, SECTOR_BYTES));
  const guard = new ZstdGuard(PACKED_MAX_BYTES);
  guard.push(packed);
  const end = guard.firstFrameBytes;
  return end === null ? null : decompressBlock(kind, packed.subarray(0, end), Math.max(most, SECTOR_BYTES));
}

/** LZO in pieces of a page: the length of all, then each with its own; no length stands over the edge of a page. */
function lzoPieces(packed: Uint8Array, most: number): Uint8Array | null {
  const fields = new Fields(packed);
  if (packed.length < 8) return null;
  const total = Math.min(fields.u32le(0), packed.length);
  const out = new Uint8Array(most);
  let filled = 0;
  for (let at = 4; at + 4 <= total && filled < most; ) {
    const left = SECTOR_BYTES - (at % SECTOR_BYTES);
    if (left < 4) at += left;
    if (at + 4 > total) break;
    const length = fields.u32le(at);
    at += 4;
    if (at + length > packed.length) return null;
    const piece = lzoBlock(packed.subarray(at, at + length), SECTOR_BYTES);
    if (!piece) return null;
    out.set(piece.subarray(0, most - filled), filled);
    filled += piece.length;
    at += length;
  }
  return out.subarray(0, Math.min(filled, most));
}

function keyAt(fields: Fields, at: number): Key {
  // Numbers beyond what is safe are of trees that are not read here; their order is kept.
  return { object: Number(fields.u64le(at)), type: fields.u8(at + 8), offset: Number(fields.u64le(at + 9)) };
}

function order(one: Key, other: Key): number {
  return one.object - other.object || one.type - other.type || one.offset - other.offset;
}

const isBehind = (key: Key, { object, type }: Key) => key.object > object || (key.object === object && key.type > type);

function systemChunks(fields: Fields): Chunk[] {
  const chunks: Chunk[] = [];
  const end = 0x32b + Math.min(fields.u32le(0xa0), 2048);
  for (let at = 0x32b; at + 17 + 48 <= end; ) {
    const logical = toSafeNumber(fields.u64le(at + 9));
    const stripes = fields.u16le(at + 17 + 44);
    const bytes = 48 + stripes * 32;
    if (logical === null || at + 17 + bytes > end) break;
    const chunk = chunkOf(logical, new Fields(fields.slice(at + 17, bytes)));
    if (chunk) chunks.push(chunk);
    at += 17 + bytes;
  }
  return chunks;
}

/** Null where it lies in stripes over several devices. Of copies the first is taken. */
function chunkOf(logical: number, data: Fields): Chunk | null {
  if (data.length < 80) return null;
  const [lengthBytes, physical] = [toSafeNumber(data.u64le(0)), toSafeNumber(data.u64le(56))];
  const isStriped = (data.u64le(24) & BigInt(STRIPED)) !== 0n && data.u16le(44) > 1;
  return lengthBytes === null || physical === null || isStriped ? null : { logical, lengthBytes, physical };
}
