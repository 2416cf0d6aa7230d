import { Fields, hasText, toSafeNumber, trimmed } from "../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, MemorySource, readExactly } from "../kernel/source";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/** XFS, versions 4 and 5, reading only ("XFS Algorithms & Data Structures", kernel.org). Numbers are big-endian. */
const FORMAT = { local: 1, extents: 2, tree: 3 };
const TYPE = { directory: 0x4000, file: 0x8000, link: 0xa000 };
const FILE_TYPES = { features2: 0x200, incompatible: 0x1 };
const FLAGS2 = { bigTime: 0x8, manyExtents: 0x10 };
const EXTENT_BYTES = 16;
const EXTENTS_MAX = 1 << 20;
const LEVELS_MAX = 8;
const BLOCKS_MAX = 1 << 14;
const LINK_MAX_BYTES = 4096;
const DIRECTORY_MAX_BYTES = 64 << 20;
/** What is behind this of a directory are its indexes, and not names (XFS_DIR2_LEAF_OFFSET). */
const NAMES_END_BYTES = 2 ** 35;
/** Blocks of links begin with a head in version 5. */
const LINK_HEAD_BYTES = 56;
/** Big times count from this, in nanoseconds (XFS_BIGTIME_EPOCH_OFFSET). */
const BIG_TIME_EPOCH_SECONDS = 2 ** 31;

interface Geometry {
  blockBytes: number;
  root: number;
  groupBlocks: number;
  groups: number;
  inodeBytes: number;
  inodesPerBlockLog: number;
  groupBlocksLog: number;
  directoryBlockBytes: number;
  isVersion5: boolean;
  hasFileTypes: boolean;
  label: string | null;
}

interface Inode {
  mode: number;
  format: number;
  sizeBytes: number;
  modified: string | null;
  extents: number;
  fork: Uint8Array;
}

/** A run of blocks of a file, in blocks; `start`: null where it reads as zeros. */
interface Run {
  offset: number;
  start: number | null;
  count: number;
}

export interface XfsEntry extends TreeEntry {
  inode: number;
}

function decodeGeometry(bytes: Uint8Array): Geometry | null {
  if (!hasText(bytes, 0, "XFSB")) return null;
  const fields = new Fields(bytes);
  const version = fields.u16be(100) & 0xf;
  const blockBytes = fields.u32be(4);
  const root = toSafeNumber(big(fields, 56));
  const [inodeBytes, inodesPerBlockLog, groupBlocksLog] = [fields.u16be(104), fields.u8(123), fields.u8(124)];
  const isSound =
    (version === 4 || version === 5) &&
    (blockBytes & (blockBytes - 1)) === 0 &&
    blockBytes >= 512 &&
    blockBytes <= 65_536 &&
    inodeBytes >= 256 &&
    inodeBytes <= 2048 &&
    inodesPerBlockLog <= 8 &&
    groupBlocksLog <= 31 &&
    fields.u8(192) <= 6;
  if (!isSound || root === null) return null;
  const hasFileTypes =
    version === 5
      ? (fields.u32be(216) & FILE_TYPES.incompatible) !== 0
      : (fields.u32be(200) & FILE_TYPES.features2) !== 0;
  return {
    ...{ blockBytes, root, inodeBytes, inodesPerBlockLog, groupBlocksLog, hasFileTypes },
    ...{ groupBlocks: fields.u32be(84), groups: fields.u32be(88) },
    directoryBlockBytes: blockBytes << fields.u8(192),
    isVersion5: version === 5,
    label: trimmed(fields.ascii(108, 12)) || null,
  };
}

const big = (fields: Fields, at: number) => (BigInt(fields.u32be(at)) << 32n) | BigInt(fields.u32be(at + 4));

export class XfsTree implements FileTree<XfsEntry> {
  readonly label: string | null;
  private readonly budget = new DirectoryBudget();

  private constructor(
    private readonly source: ByteSource,
    private readonly geometry: Geometry,
  ) {
    this.label = geometry.label;
  }

  /** Null where there is none, or its root is damaged. */
  static async open(source: ByteSource): Promise<XfsTree | null> {
    const bytes = await readExactly(source, 0, 512);
    const geometry = bytes && decodeGeometry(bytes);
    if (!geometry) return null;
    const tree = new XfsTree(source, geometry);
    const root = await tree.inode(geometry.root);
    return root && (root.mode & 0xf000) === TYPE.directory ? tree : null;
  }

  private async inode(number: number): Promise<Inode | null> {
    const { inodesPerBlockLog, groupBlocksLog, groupBlocks, groups, blockBytes, inodeBytes } = this.geometry;
    const perGroup = 2 ** (groupBlocksLog + inodesPerBlockLog);
    const [group, within] = [Math.floor(number / perGroup), number % perGroup];
    const block = Math.floor(within / 2 ** inodesPerBlockLog);
    if (group >= groups || block >= groupBlocks) return null;
    const start = (group * groupBlocks + block) * blockBytes + (within % 2 ** inodesPerBlockLog) * inodeBytes;
    const bytes = await readExactly(this.source, start, inodeBytes);
    if (!bytes || !hasText(bytes, 0, "IN")) return null;
    const fields = new Fields(bytes);
    const head = fields.u8(4) >= 3 ? 176 : 100;
    const flags2 = head === 176 ? fields.u32be(124) : 0;
    const size = toSafeNumber(big(fields, 56));
    const many = flags2 & FLAGS2.manyExtents ? toSafeNumber(big(fields, 24)) : fields.u32be(76);
    if (size === null || many === null) return null;
    const forkBytes = fields.u8(82) === 0 ? inodeBytes - head : Math.min(fields.u8(82) * 8, inodeBytes - head);
    return {
      ...{ mode: fields.u16be(2), format: fields.u8(5), sizeBytes: size, extents: many },
      modified: timeOf(fields, 40, (flags2 & FLAGS2.bigTime) !== 0),
      fork: bytes.subarray(head, head + forkBytes),
    };
  }

  /** The runs of a file, in their order; null where they are damaged. */
  private async runs({ format, fork, extents }: Inode): Promise<Run[] | null> {
    if (format === FORMAT.extents) {
      const count = Math.min(extents, Math.floor(fork.length / EXTENT_BYTES));
      return this.decoded(new Fields(fork), 0, count);
    }
    if (format !== FORMAT.tree) return null;
    const fields = new Fields(fork);
    const many = Math.floor((fork.length - 4) / 16);
    const runs: Run[] = [];
    const budget = { blocks: BLOCKS_MAX };
    for (let nth = 0; nth < Math.min(fields.u16be(2), many); nth++) {
      const place = toSafeNumber(big(fields, 4 + many * 8 + nth * 8));
      if (place === null || !(await this.runsBelow(place, runs, 0, budget))) return null;
    }
    return runs;
  }

  private async runsBelow(place: number, runs: Run[], depth: number, budget: { blocks: number }): Promise<boolean> {
    const { blockBytes, isVersion5 } = this.geometry;
    const start = this.blockAt(place);
    if (depth > LEVELS_MAX || budget.blocks-- <= 0 || start === null) return false;
    const bytes = await readExactly(this.source, start * blockBytes, blockBytes);
    if (!bytes || !hasText(bytes, 0, isVersion5 ? "BMA3" : "BMAP")) return false;
    const fields = new Fields(bytes);
    const head = isVersion5 ? 72 : 24;
    const [level, told] = [fields.u16be(4), fields.u16be(6)];
    if (level === 0) {
      const found = this.decoded(fields, head, Math.min(told, Math.floor((blockBytes - head) / EXTENT_BYTES)));
      if (!found || runs.length + found.length > EXTENTS_MAX) return false;
      runs.push(...found);
      return true;
    }
    const many = Math.floor((blockBytes - head) / 16);
    for (let nth = 0; nth < Math.min(told, many); nth++) {
      const below = toSafeNumber(big(fields, head + many * 8 + nth * 8));
      if (below === null || !(await this.runsBelow(below, runs, depth + 1, budget))) return false;
    }
    return true;
  }

  /** Extents are packed into 16 bytes: a flag for what is only set aside, 54 bits, 52 bits, 21 bits. */
  private decoded(fields: Fields, at: number, count: number): Run[] | null {
    const runs: Run[] = [];
    for (let nth = 0; nth < count; nth++) {
      const [high, low] = [big(fields, at + nth * EXTENT_BYTES), big(fields, at + nth * EXTENT_BYTES + 8)];
      const offset = Number((high >> 9n) & ((1n << 54n) - 1n));
      const place = Number(((high & 0x1ffn) << 43n) | (low >> 21n));
      const start = this.blockAt(place);
      if (start === null || !Number.isSafeInteger(offset)) return null;
      runs.push({ offset, start: high >> 63n ? null : start, count: Number(low & 0x1f_ffffn) });
    }
    return runs;
  }

  /** A block by its group and place in the group, from the beginning of the volume; null where it is outside. */
  private blockAt(place: number): number | null {
    const { groupBlocksLog, groupBlocks, groups } = this.geometry;
    const [group, within] = [Math.floor(place / 2 ** groupBlocksLog), place % 2 ** groupBlocksLog];
    return group < groups && within < groupBlocks ? group * groupBlocks + within : null;
  }

  private async content(inode: Inode, sizeBytes: number): Promise<ByteSource | null> {
    if (inode.format === FORMAT.local) return new MemorySource(inode.fork.subarray(0, sizeBytes));
    const runs = await this.runs(inode);
    return runs && this.joined(runs, sizeBytes);
  }

  private joined(runs: Run[], sizeBytes: number): ByteSource | null {
    const { blockBytes } = this.geometry;
    const extents: Extent[] = [];
    let at = 0;
    for (const { offset, start, count } of runs) {
      if (offset < at) return null;
      if (offset > at) extents.push({ start: null, lengthBytes: (offset - at) * blockBytes });
      extents.push({ start: start === null ? null : start * blockBytes, lengthBytes: count * blockBytes });
      at = offset + count;
    }
    const held = at * blockBytes;
    if (sizeBytes > held) extents.push({ start: null, lengthBytes: sizeBytes - held });
    return new ExtentSource(this.source, extents, sizeBytes);
  }

  async list(directory: XfsEntry | null): Promise<XfsEntry[]> {
    const inode = await this.inode(directory?.inode ?? this.geometry.root);
    if (!inode || (inode.mode & 0xf000) !== TYPE.directory || this.budget.isSpent) return [];
    const names = inode.format === FORMAT.local ? this.shortNames(inode) : await this.blockNames(inode);
    const entries: XfsEntry[] = [];
    for (const { name, number } of names) {
      if (name === "." || name === "..") continue;
      const entry = await this.entry(name, number);
      if (entry) entries.push(entry);
    }
    return entries;
  }

  /** A small directory in its inode: a head with the parent, then a length, an offset, the name and a number each. */
  private shortNames({ fork }: Inode): { name: string; number: number }[] {
    const fields = new Fields(fork);
    const wide = fields.u8(1) > 0 ? 8 : 4;
    const names: { name: string; number: number }[] = [];
    let at = 2 + wide;
    for (let nth = 0; nth < Math.max(fields.u8(0), fields.u8(1)); nth++) {
      const length = fields.u8(at);
      const end = at + 3 + length + (this.geometry.hasFileTypes ? 1 : 0);
      if (length === 0 || end + wide > fork.length) break;
      const number = wide === 8 ? toSafeNumber(big(fields, end)) : fields.u32be(end);
      if (number !== null) names.push({ name: text(fields.slice(at + 3, length)), number });
      at = end + wide;
    }
    return names;
  }

  private async blockNames(inode: Inode): Promise<{ name: string; number: number }[]> {
    const { blockBytes, directoryBlockBytes } = this.geometry;
    const runs = ((await this.runs(inode)) ?? []).filter(({ offset }) => offset * blockBytes < NAMES_END_BYTES);
    const last = runs.at(-1);
    const held = last ? (last.offset + last.count) * blockBytes : 0;
    const end = Math.min(held, inode.sizeBytes, DIRECTORY_MAX_BYTES);
    const source = this.joined(runs, end);
    const names: { name: string; number: number }[] = [];
    for (let at = 0; source && at < end; at += directoryBlockBytes) {
      const bytes = this.budget.take(await source.read(at, directoryBlockBytes));
      names.push(...this.namesIn(bytes));
    }
    return names;
  }

  /** One block of names: behind its head, free space with a mark and a length, or a number, a name, and its place. */
  private namesIn(bytes: Uint8Array): { name: string; number: number }[] {
    const { isVersion5, hasFileTypes } = this.geometry;
    const names: { name: string; number: number }[] = [];
    const isWhole = hasText(bytes, 0, isVersion5 ? "XDB3" : "XD2B");
    if (!isWhole && !hasText(bytes, 0, isVersion5 ? "XDD3" : "XD2D")) return names;
    const fields = new Fields(bytes);
    // A directory of one block has its index at the end of it.
    const index = isWhole && bytes.length >= 8 ? 8 + fields.u32be(bytes.length - 8) * 8 : 0;
    for (let at = isVersion5 ? 64 : 16; at + 12 <= bytes.length - index; ) {
      if (fields.u16be(at) === 0xffff) {
        const free = fields.u16be(at + 2);
        if (free < 8) break;
        at += free;
        continue;
      }
      const [number, length] = [toSafeNumber(big(fields, at)), fields.u8(at + 8)];
      const width = aligned(9 + length + (hasFileTypes ? 1 : 0) + 2);
      if (length === 0 || at + width > bytes.length) break;
      if (number !== null) names.push({ name: text(fields.slice(at + 9, length)), number });
      at += width;
    }
    return names;
  }

  private async entry(name: string, number: number): Promise<XfsEntry | null> {
    const inode = await this.inode(number);
    if (!inode) return { name, directory: false, sizeBytes: 0, modified: null, inode: number, unreadable: "special" };
    const kind = inode.mode & 0xf000;
    const directory = kind === TYPE.directory;
    const isLink = kind === TYPE.link;
    return {
      ...{ name, directory, inode: number, modified: inode.modified },
      sizeBytes: kind === TYPE.file ? inode.sizeBytes : 0,
      ...(directory ? { id: number } : {}),
      ...(isLink ? { link: await this.linkOf(inode) } : {}),
      ...(!directory && !isLink && kind !== TYPE.file ? { unreadable: "special" as const } : {}),
    };
  }

  private async linkOf(inode: Inode): Promise<string> {
    const bytes = Math.min(inode.sizeBytes, LINK_MAX_BYTES);
    const hasHead = inode.format !== FORMAT.local && this.geometry.isVersion5;
    const content = await this.content(inode, bytes + (hasHead ? LINK_HEAD_BYTES : 0));
    return text((await content?.read(hasHead ? LINK_HEAD_BYTES : 0, bytes)) ?? new Uint8Array(0));
  }

  async open(file: XfsEntry): Promise<ByteSource | null> {
    if (file.directory || file.unreadable || file.link !== undefined) return null;
    const inode = await this.inode(file.inode);
    return inode && this.content(inode, inode.sizeBytes);
  }
}

const aligned = (bytes: number) => Math.ceil(bytes / 8) * 8;

const text = (bytes: Uint8Array) => new TextDecoder().decode(bytes);

function timeOf(fields: Fields, at: number, isBig: boolean): string | null {
  const seconds = isBig ? Number(big(fields, at) / 1_000_000_000n) - BIG_TIME_EPOCH_SECONDS : fields.u32be(at) | 0;
  return seconds < 253_402_300_800 ? new Date(seconds * 1000).toISOString() : null;
}
