import { Fields, toSafeNumber, trimmed } from "../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, MemorySource, readExactly, WindowSource } from "../kernel/source";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/** ext2, ext3 and ext4, reading only; the kernel's Documentation/filesystems/ext4. Sizes in bytes. */
const ROOT_INODE = 2;
const SUPERBLOCK_AT = 1024;
const INCOMPATIBLE = { journal: 0x8, metaGroups: 0x10, extents: 0x40, wide: 0x80, inline: 0x8000 };
/** Features that change where or how data lies, beyond those above: compression, journal device, large directories' own. */
const UNKNOWN_LAYOUT = 0x1;
const INODE_FLAG = { encrypted: 0x800, extents: 0x80000, inline: 0x10000000 };
const TYPE = { directory: 0x4000, file: 0x8000, link: 0xa000 };
const EXTENT_MAGIC = 0xf30a;
const EXTENT_DEPTH_MAX = 5;
const EXTENTS_MAX = 1 << 20;
/** A directory is read no further. */
const DIRECTORY_MAX_BYTES = 16 << 20;
const DIRECTORY_STEP_BYTES = 256 * 1024;
/** Blocks of pointers read for one file: 64 GiB in blocks of 4 KiB. */
const POINTER_BLOCKS_MAX = 1 << 14;

export interface ExtGeometry {
  blockBytes: number;
  blocks: number;
  inodes: number;
  inodesPerGroup: number;
  inodeBytes: number;
  firstBlock: number;
  descriptorBytes: number;
  incompatible: number;
  /** First block group whose descriptors lie in the group itself (meta_bg). */
  firstMetaGroup: number;
  blocksPerGroup: number;
  sparse: boolean;
}

interface Inode {
  number: number;
  mode: number;
  sizeBytes: number;
  modified: string | null;
  flags: number;
  /** The 60 bytes of block pointers, extents, or content. */
  body: Uint8Array;
  /** Extended attributes inside the inode; inline data goes on there. */
  extra: Uint8Array;
}

export interface ExtEntry extends TreeEntry {
  inode: number;
}

/** A superblock (1,024 bytes); null where it is none, or one with a layout that is not read here. */
export function decodeExtGeometry(bytes: Uint8Array): ExtGeometry | null {
  const fields = new Fields(bytes);
  // Magic at 0x38; offsets below are those of the superblock's table in the kernel's documentation.
  if (fields.u16le(56) !== 0xef53) return null;
  const blockShift = fields.u32le(24);
  const dynamic = fields.u32le(76) >= 1;
  const incompatible = dynamic ? fields.u32le(96) : 0;
  const wide = (incompatible & INCOMPATIBLE.wide) !== 0;
  // Blocks of 1 KiB to 64 KiB. A journal device is no file system; compression was never in the kernel.
  if (blockShift > 6 || incompatible & (UNKNOWN_LAYOUT | INCOMPATIBLE.journal)) return null;
  const blockBytes = 1024 * 2 ** blockShift;
  // Revision 0 has 128-byte inodes and no feature words: those bytes are not theirs to read.
  const inodeBytes = dynamic ? fields.u16le(88) : 128;
  const blocks = fields.u32le(4) + (wide ? fields.u32le(336) * 2 ** 32 : 0);
  const geometry: ExtGeometry = {
    blockBytes,
    blocks,
    inodes: fields.u32le(0),
    inodesPerGroup: fields.u32le(40),
    blocksPerGroup: fields.u32le(32),
    inodeBytes,
    firstBlock: fields.u32le(20),
    descriptorBytes: wide ? fields.u16le(254) : 32,
    incompatible,
    firstMetaGroup: fields.u32le(260),
    sparse: (fields.u32le(100) & 1) !== 0,
  };
  // These are divisors and strides from here on: zero or absurd ones would loop or reach outside.
  if (inodeBytes < 128 || inodeBytes > blockBytes || geometry.inodesPerGroup === 0) return null;
  if (geometry.descriptorBytes < 32 || geometry.descriptorBytes > 1024 || geometry.blocksPerGroup === 0) return null;
  return geometry;
}

/** Where the descriptor of a block group stands, in bytes. */
export function descriptorPlace(geometry: ExtGeometry, group: number): number {
  const { blockBytes, descriptorBytes, firstBlock, incompatible, firstMetaGroup, blocksPerGroup } = geometry;
  const perBlock = Math.floor(blockBytes / descriptorBytes);
  const block = Math.floor(group / perBlock);
  // The table follows the superblock, which stands in block 1 of a volume with blocks of 1 KiB.
  let descriptorBlock = (blockBytes === SUPERBLOCK_AT ? 1 : 0) + 1 + block;
  // With meta_bg each meta group keeps its descriptors in its first group, behind a superblock if it has one.
  if (incompatible & INCOMPATIBLE.metaGroups && block >= firstMetaGroup) {
    const first = block * perBlock;
    descriptorBlock = firstBlock + first * blocksPerGroup + (hasSuperblock(geometry, first) ? 1 : 0);
  }
  return descriptorBlock * blockBytes + (group % perBlock) * descriptorBytes;
}

/** Sparse superblocks: copies in groups 0, 1 and powers of 3, 5 and 7. */
export function hasSuperblock({ sparse }: ExtGeometry, group: number): boolean {
  if (!sparse || group <= 1) return true;
  return [3, 5, 7].some((base) => {
    let power = base;
    while (power < group) power *= base;
    return power === group;
  });
}

export class ExtTree implements FileTree<ExtEntry> {
  private readonly budget = new DirectoryBudget();
  private constructor(
    private readonly source: ByteSource,
    private readonly geometry: ExtGeometry,
    readonly label: string | null,
  ) {}

  /** Null where there is no superblock, or one with a layout that is not read here. */
  static async open(source: ByteSource): Promise<ExtTree | null> {
    const bytes = await readExactly(source, SUPERBLOCK_AT, 1024);
    const geometry = bytes && decodeExtGeometry(bytes);
    if (!bytes || !geometry) return null;
    return new ExtTree(source, geometry, trimmed(new Fields(bytes).ascii(120, 16)) || null);
  }

  async list(directory: ExtEntry | null): Promise<ExtEntry[]> {
    const inode = await this.inode(directory?.inode ?? ROOT_INODE);
    if (!inode || (inode.mode & 0xf000) !== TYPE.directory) return [];
    const entries: ExtEntry[] = [];
    for (const { number, name } of await this.names(inode)) {
      const folderInode = await this.inode(number);
      if (folderInode) entries.push(await this.entry(name, folderInode, (inode.flags & INODE_FLAG.encrypted) !== 0));
    }
    return entries;
  }

  async open(file: ExtEntry): Promise<ByteSource | null> {
    if (file.unreadable || file.link !== undefined) return null;
    const inode = await this.inode(file.inode);
    return inode ? this.content(inode) : null;
  }

  private async entry(name: string, inode: Inode, encryptedName: boolean): Promise<ExtEntry> {
    const type = inode.mode & 0xf000;
    const directory = type === TYPE.directory;
    const entry: ExtEntry = {
      name,
      directory,
      sizeBytes: type === TYPE.file ? inode.sizeBytes : 0,
      modified: inode.modified,
      inode: inode.number,
      id: inode.number,
    };
    if (type === TYPE.link) {
      // PATH_MAX: no system follows a longer one.
      const sizeBytes = Math.min(4096, inode.sizeBytes);
      const target = await (await this.content({ ...inode, sizeBytes }))?.read(0, sizeBytes);
      entry.link = new TextDecoder().decode(target ?? new Uint8Array(0));
      // Names of an encrypted directory are cipher text; its files are told, not opened.
    } else if (encryptedName || inode.flags & INODE_FLAG.encrypted) entry.unreadable = "encrypted";
    else if (!directory && type !== TYPE.file) entry.unreadable = "special";
    return entry;
  }

  /** Linear directory blocks; the hash tree of large directories hides inside unused records of them. */
  private async names(inode: Inode): Promise<{ number: number; name: string }[]> {
    const { blockBytes } = this.geometry;
    const found: { number: number; name: string }[] = [];
    if (inode.flags & INODE_FLAG.inline) {
      // Four bytes of parent, then records; after the 60 bytes they go on in the attribute.
      readDirectoryRecords(inode.body.subarray(4), found);
      readDirectoryRecords(inlineRest(inode.extra), found);
      return found;
    }
    const sizeBytes = Math.min(inode.sizeBytes, DIRECTORY_MAX_BYTES);
    const content = await this.content({ ...inode, sizeBytes });
    for (let at = 0; content && at < sizeBytes; at += DIRECTORY_STEP_BYTES) {
      const bytes = this.budget.isSpent ? null : this.budget.take(await content.read(at, DIRECTORY_STEP_BYTES));
      if (!bytes) break;
      for (let from = 0; from < bytes.length; from += blockBytes)
        readDirectoryRecords(bytes.subarray(from, from + blockBytes), found);
    }
    return found;
  }

  private async inode(number: number): Promise<Inode | null> {
    const { inodes, inodesPerGroup, inodeBytes, blockBytes } = this.geometry;
    if (number < 1 || number > inodes) return null;
    const table = await this.inodeTable(Math.floor((number - 1) / inodesPerGroup));
    if (table === null) return null;
    // Inodes count from 1; a group's table holds its own in order.
    const at = table * blockBytes + ((number - 1) % inodesPerGroup) * inodeBytes;
    const bytes = await readExactly(this.source, at, inodeBytes);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    const mode = fields.u16le(0);
    // The upper half of the size stands where other kinds of inode keep an access list's block.
    const high = (mode & 0xf000) === TYPE.file || (mode & 0xf000) === TYPE.directory ? fields.u32le(108) : 0;
    const extraBytes = inodeBytes > 128 ? fields.u16le(128) : 0;
    // The lower two bits of the extra part extend the seconds past 2038.
    const epoch = extraBytes >= 12 && inodeBytes >= 140 ? fields.u32le(136) & 3 : 0;
    const seconds = (fields.u32le(16) | 0) + epoch * 2 ** 32;
    return {
      number,
      mode,
      sizeBytes: fields.u32le(4) + high * 2 ** 32,
      modified: new Date(seconds * 1000).toISOString(),
      flags: fields.u32le(32),
      body: fields.slice(40, 60),
      extra: bytes.subarray(Math.min(inodeBytes, 128 + extraBytes)),
    };
  }

  /** The first block of a group's inodes. */
  private async inodeTable(group: number): Promise<number | null> {
    const { descriptorBytes } = this.geometry;
    const bytes = await readExactly(this.source, descriptorPlace(this.geometry, group), descriptorBytes);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    return fields.u32le(8) + (descriptorBytes >= 64 ? fields.u32le(40) * 2 ** 32 : 0);
  }

  private async content(inode: Inode): Promise<ByteSource | null> {
    const { sizeBytes, flags, body } = inode;
    const type = inode.mode & 0xf000;
    if (flags & INODE_FLAG.inline) {
      const rest = inlineRest(inode.extra);
      const whole = new Uint8Array(body.length + rest.length);
      whole.set(body);
      whole.set(rest, body.length);
      // What a file has beyond its inline part reads as zeros, as the kernel has it (fs/ext4/inline.c).
      const runs = [
        { start: 0, lengthBytes: Math.min(whole.length, sizeBytes) },
        { start: null, lengthBytes: Math.max(0, sizeBytes - whole.length) },
      ];
      return new ExtentSource(new MemorySource(whole), runs, sizeBytes);
    }
    // A short link is kept in the inode itself, where the pointers would be ("fast symlink").
    if (type === TYPE.link && sizeBytes < body.length && !(flags & INODE_FLAG.extents))
      return new WindowSource(new MemorySource(body), 0, sizeBytes);
    const extents = flags & INODE_FLAG.extents ? await this.extents(body) : await this.blockList(body, sizeBytes);
    if (!extents) return null;
    const whole = withHoles(extents, sizeBytes);
    // A file that reaches past the volume is not opened: half of it would look like the whole.
    const inside = whole?.every((run) => run.start === null || run.start + run.lengthBytes <= this.source.sizeBytes);
    return whole && inside ? new ExtentSource(this.source, whole, sizeBytes) : null;
  }

  /** The leaves of an extent tree, by logical place; null where a node is damaged. */
  private async extents(root: Uint8Array): Promise<Placed[] | null> {
    const { blockBytes } = this.geometry;
    const placed: Placed[] = [];
    let nodes = [root];
    for (let level = 0; nodes.length > 0; level++) {
      const below: number[] = [];
      for (const node of nodes) {
        const fields = new Fields(node);
        const [count, depth] = [fields.u16le(2), fields.u16le(6)];
        if (fields.u16le(0) !== EXTENT_MAGIC || 12 + count * 12 > node.length) return null;
        // Levels count beside what a node says of its depth, so that one that names itself ends here.
        if (depth + level > EXTENT_DEPTH_MAX || placed.length + count > EXTENTS_MAX) return null;
        for (let i = 0; i < count; i++) {
          const at = 12 + i * 12;
          if (depth > 0) below.push(fields.u32le(at + 4) + fields.u16le(at + 8) * 2 ** 32);
          else {
            const length = fields.u16le(at + 4);
            // Above 32,768 an extent is reserved but not written: it reads as zeros.
            const unwritten = length > 32768;
            const block = fields.u32le(at + 8) + fields.u16le(at + 6) * 2 ** 32;
            placed.push({
              at: fields.u32le(at) * blockBytes,
              start: unwritten ? null : block * blockBytes,
              lengthBytes: (unwritten ? length - 32768 : length) * blockBytes,
            });
          }
        }
      }
      nodes = [];
      for (const block of below) {
        const node = await readExactly(this.source, block * blockBytes, blockBytes);
        // Breadth is bounded too: a wide tree of empty nodes costs reads, though it places nothing.
        if (!node || nodes.length > EXTENTS_MAX / 64) return null;
        nodes.push(node);
      }
    }
    return placed.sort((a, b) => a.at - b.at);
  }

  /** Twelve direct pointers and three trees of pointers (ext2). */
  private async blockList(body: Uint8Array, sizeBytes: number): Promise<Placed[] | null> {
    const { blockBytes } = this.geometry;
    const fields = new Fields(body);
    const wanted = Math.ceil(sizeBytes / blockBytes);
    const placed: Placed[] = [];
    const budget = { blocks: POINTER_BLOCKS_MAX };
    // Neighbouring blocks become one extent, so that a file of a gigabyte is a handful of reads; block 0 is a hole.
    const push = (index: number, block: number) => {
      const last = placed.at(-1);
      const start = block * blockBytes;
      if (
        last?.start != null &&
        last.at + last.lengthBytes === index * blockBytes &&
        last.start + last.lengthBytes === start
      )
        last.lengthBytes += blockBytes;
      else if (block !== 0) placed.push({ at: index * blockBytes, start, lengthBytes: blockBytes });
    };
    for (let i = 0; i < Math.min(12, wanted); i++) push(i, fields.u32le(i * 4));
    let index = 12;
    for (let depth = 1; depth <= 3 && index < wanted; depth++) {
      const read = await this.pointers(fields.u32le((11 + depth) * 4), depth, index, wanted, push, budget);
      if (!read) return null;
      // A tree of pointers covers its whole range, also where it is absent (a hole) or cut short by the file's end.
      index += (blockBytes / 4) ** depth;
    }
    return placed.length > EXTENTS_MAX ? null : placed;
  }

  private async pointers(
    block: number,
    depth: number,
    index: number,
    wanted: number,
    push: (index: number, block: number) => void,
    budget: { blocks: number },
  ): Promise<boolean> {
    const { blockBytes } = this.geometry;
    if (block === 0) return true;
    // Damaged pointers may lead back to themselves; each block read is counted.
    if (budget.blocks-- <= 0) return false;
    const bytes = await readExactly(this.source, block * blockBytes, blockBytes);
    if (!bytes) return false;
    const fields = new Fields(bytes);
    const blocksBelow = (blockBytes / 4) ** (depth - 1);
    for (let i = 0; i < blockBytes / 4; i++) {
      const at = index + i * blocksBelow;
      if (at >= wanted) break;
      if (depth === 1) push(at, fields.u32le(i * 4));
      else if (!(await this.pointers(fields.u32le(i * 4), depth - 1, at, wanted, push, budget))) return false;
    }
    return true;
  }
}

interface Placed extends Extent {
  /** Byte offset in the file. */
  at: number;
}

/** A file's extents in order with what is between and behind them as holes; null where two overlap. */
function withHoles(placed: Placed[], sizeBytes: number): Extent[] | null {
  const result: Extent[] = [];
  let at = 0;
  for (const { at: from, start, lengthBytes } of placed) {
    if (from < at) return null;
    if (from > at) result.push({ start: null, lengthBytes: from - at });
    // Blocks reserved past the end of the file are not its content.
    const pieceBytes = Math.min(lengthBytes, Math.max(0, sizeBytes - from));
    if (pieceBytes > 0) result.push({ start, lengthBytes: pieceBytes });
    at = from + lengthBytes;
  }
  if (at < sizeBytes) result.push({ start: null, lengthBytes: sizeBytes - at });
  return result;
}

function readDirectoryRecords(block: Uint8Array, found: { number: number; name: string }[]): void {
  const fields = new Fields(block);
  let at = 0;
  while (at + 8 <= block.length) {
    const length = fields.u16le(at + 4);
    const nameBytes = fields.u8(at + 6);
    if (length < 8 || length % 4 !== 0 || at + length > block.length || 8 + nameBytes > length) break;
    const number = fields.u32le(at);
    const name = new TextDecoder().decode(fields.slice(at + 8, nameBytes));
    // Type 0xDE is the checksum at a block's end.
    if (number !== 0 && name !== "." && name !== ".." && fields.u8(at + 7) !== 0xde) found.push({ number, name });
    at += length;
  }
}

/** The value of the attribute "system.data" (index 7, name "data") inside an inode. */
function inlineRest(extra: Uint8Array): Uint8Array {
  const nothing = new Uint8Array(0);
  const fields = new Fields(extra);
  if (extra.length < 8 || fields.u32le(0) !== 0xea020000) return nothing;
  let at = 4;
  while (at + 16 <= extra.length && fields.u32le(at) !== 0) {
    const nameBytes = fields.u8(at);
    const valueAt = 4 + fields.u16le(at + 2);
    const valueBytes = toSafeNumber(BigInt(fields.u32le(at + 8))) ?? 0;
    if (fields.u8(at + 1) === 7 && fields.ascii(at + 16, nameBytes) === "data")
      return valueAt + valueBytes <= extra.length ? fields.slice(valueAt, valueBytes) : nothing;
    at += 16 + Math.ceil(nameBytes / 4) * 4;
  }
  return nothing;
}
