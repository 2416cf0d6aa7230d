import { Fields, latin1, toSafeNumber, utf16 } from "../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, readExactly } from "../kernel/source";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/**
 * UDF 1.02 to 2.01 on plain (type 1) partitions, after ECMA-167: enough to walk directories and read files.
 * Virtual, sparable and metadata partitions are recognised as such and not read.
 */
const TAG = {
  anchor: 2,
  partition: 5,
  logicalVolume: 6,
  allocationExtent: 258,
  terminator: 8,
  fileSet: 256,
  fileIdentifier: 257,
  fileEntry: 261,
  extendedFileEntry: 266,
};

export interface UdfEntry extends TreeEntry {
  icb: Address;
}

interface Address {
  block: number;
  partition: number;
}

/** Descriptors followed in the volume descriptor sequence; allocation descriptors of one file; directory bytes. */
const SEQUENCE_MAX = 64;
const ALLOCATIONS_MAX = 1 << 18;
const ALLOCATION_EXTENTS_MAX = 4096;
const DIRECTORY_MAX_BYTES = 4 << 20;

export class UdfTree implements FileTree<UdfEntry> {
  private readonly budget = new DirectoryBudget();
  private constructor(
    private readonly source: ByteSource,
    private readonly blockBytes: number,
    /** Byte offset of each partition that the logical volume maps, in map order. */
    private readonly partitionStarts: number[],
    private readonly root: Address,
    readonly label: string | null,
  ) {}

  /** With whichever block size it has: discs have 2,048, disks usually their sector size. */
  static async find(source: ByteSource): Promise<UdfTree | null> {
    for (const blockBytes of [2048, 512, 1024, 4096]) {
      const tree = await UdfTree.open(source, blockBytes);
      if (tree) return tree;
    }
    return null;
  }

  /** Null where there is no UDF with this block size, or one of a kind that is not read here. */
  static async open(source: ByteSource, blockBytes: number): Promise<UdfTree | null> {
    const anchor = await readAnchor(source, blockBytes);
    if (!anchor) return null;
    const sequenceBytes = anchor.u32le(16);
    const sequenceStart = anchor.u32le(20) * blockBytes;
    const starts = new Map<number, number>();
    let volume: Fields | null = null;
    for (let i = 0; i < Math.min(SEQUENCE_MAX, sequenceBytes / blockBytes); i++) {
      const bytes = await readExactly(source, sequenceStart + i * blockBytes, blockBytes);
      if (!bytes) break;
      const fields = new Fields(bytes);
      const tag = tagOf(fields);
      if (tag === TAG.partition) starts.set(fields.u16le(22), fields.u32le(188) * blockBytes);
      else if (tag === TAG.logicalVolume) volume = fields;
      else if (tag === TAG.terminator || tag === null) break;
    }
    if (!volume || volume.u32le(212) !== blockBytes) return null;
    const partitionStarts = mappedPartitions(volume, starts);
    if (!partitionStarts) return null;
    const fileSetAt = partitionStarts[volume.u16le(248 + 8)];
    if (fileSetAt === undefined) return null;
    const fileSet = await readTagged(source, fileSetAt + volume.u32le(248 + 4) * blockBytes, blockBytes, TAG.fileSet);
    if (!fileSet) return null;
    const root = { block: fileSet.u32le(400 + 4), partition: fileSet.u16le(400 + 8) };
    return new UdfTree(source, blockBytes, partitionStarts, root, dString(volume.slice(84, 128)));
  }

  async list(directory: UdfEntry | null): Promise<UdfEntry[]> {
    const content = this.budget.isSpent ? null : await this.content(directory?.icb ?? this.root);
    if (!content) return [];
    const bytes = this.budget.take(await content.source.read(0, DIRECTORY_MAX_BYTES));
    const fields = new Fields(bytes);
    const entries: UdfEntry[] = [];
    let at = 0;
    while (at + 38 <= bytes.length && fields.u16le(at) === TAG.fileIdentifier) {
      const nameBytes = fields.u8(at + 19);
      const useBytes = fields.u16le(at + 36);
      const length = (38 + nameBytes + useBytes + 3) & ~3;
      if (at + 38 + useBytes + nameBytes > bytes.length) break;
      const flags = fields.u8(at + 18);
      // Bit 2: deleted; bit 3: the parent directory (ECMA-167 4/14.4.3).
      if (!(flags & 0x0c)) {
        const icb = { block: fields.u32le(at + 24), partition: fields.u16le(at + 28) };
        const name = cs0(fields.slice(at + 38 + useBytes, nameBytes));
        const directory = (flags & 0x02) !== 0;
        const entry = await this.entry(icb);
        entries.push({
          name,
          directory,
          sizeBytes: directory ? 0 : (entry?.sizeBytes ?? 0),
          modified: entry?.modified ?? null,
          id: icb.partition * 2 ** 32 + icb.block,
          icb,
        });
      }
      at += length;
    }
    return entries;
  }

  async open(file: UdfEntry): Promise<ByteSource | null> {
    const content = await this.content(file.icb);
    return content && content.source.sizeBytes >= content.sizeBytes ? content.source : null;
  }

  /** A file entry's size and time, and its allocation descriptors. ECMA-167 4/14.9 and 4/14.17. */
  private async entry(icb: Address): Promise<FileEntry | null> {
    const start = this.partitionStarts[icb.partition];
    if (start === undefined) return null;
    const at = start + icb.block * this.blockBytes;
    const bytes = await readExactly(this.source, at, this.blockBytes);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    const tag = tagOf(fields);
    if (tag !== TAG.fileEntry && tag !== TAG.extendedFileEntry) return null;
    const extended = tag === TAG.extendedFileEntry;
    const sizeBytes = toSafeNumber(fields.u64le(56));
    const attributesBytes = fields.u32le(extended ? 208 : 168);
    const lengthBytes = fields.u32le(extended ? 212 : 172);
    const from = (extended ? 216 : 176) + attributesBytes;
    if (from + lengthBytes > this.blockBytes || sizeBytes === null) return null;
    return {
      sizeBytes,
      modified: timestamp(fields, extended ? 92 : 84),
      kind: fields.u16le(34) & 7,
      at: at + from,
      descriptors: new Fields(fields.slice(from, lengthBytes)),
    };
  }

  /** A file's data: embedded, or in short or long allocation descriptors, which may go on elsewhere (4/14.5). */
  private async content(icb: Address): Promise<{ source: ByteSource; sizeBytes: number } | null> {
    const entry = await this.entry(icb);
    if (!entry) return null;
    const { sizeBytes, kind } = entry;
    if (kind === 3) {
      const embedded: Extent = { start: entry.at, lengthBytes: entry.descriptors.length };
      return {
        source: new ExtentSource(this.source, [embedded], Math.min(sizeBytes, embedded.lengthBytes)),
        sizeBytes,
      };
    }
    if (kind > 1) return null;
    const extents: Extent[] = [];
    let step: { next: Fields | null } | null = { next: entry.descriptors };
    for (let hop = 0; step?.next && hop < ALLOCATION_EXTENTS_MAX; hop++)
      step = await this.allocate(step.next, kind, icb.partition, extents);
    if (!step || step.next) return null;
    return { source: new ExtentSource(this.source, extents, sizeBytes), sizeBytes };
  }

  /** Takes descriptors into `extents`; `next` are those that they go on in. Null at damage. */
  private async allocate(
    descriptors: Fields,
    kind: number,
    ownPartition: number,
    extents: Extent[],
  ): Promise<{ next: Fields | null } | null> {
    const width = kind === 0 ? 8 : 16;
    for (let at = 0; at + width <= descriptors.length; at += width) {
      const raw = descriptors.u32le(at);
      const lengthBytes = raw & 0x3fffffff;
      if (lengthBytes === 0) return { next: null };
      const partition = kind === 0 ? ownPartition : descriptors.u16le(at + 8);
      const base = this.partitionStarts[partition];
      if (base === undefined || extents.length >= ALLOCATIONS_MAX) return null;
      const start = base + descriptors.u32le(at + 4) * this.blockBytes;
      if (raw >>> 30 === 3) {
        const next = await readTagged(this.source, start, this.blockBytes, TAG.allocationExtent);
        return next && { next: new Fields(next.slice(24, Math.min(next.u32le(20), this.blockBytes - 24))) };
      }
      // Types 1 and 2: allocated or not, nothing was recorded there.
      extents.push({ start: raw >>> 30 === 0 ? start : null, lengthBytes });
    }
    return { next: null };
  }
}

interface FileEntry {
  sizeBytes: number;
  modified: string | null;
  /** 0: short, 1: long descriptors, 3: the data itself. */
  kind: number;
  /** Byte offset of the descriptors on the source. */
  at: number;
  descriptors: Fields;
}

/** ECMA-167 1/7.3: a local time with its offset from UTC in minutes; null where it is none. */
function timestamp(fields: Fields, at: number): string | null {
  const zone = fields.u16le(at);
  const minutes = ((zone & 0xfff) ^ 0x800) - 0x800;
  const year = (fields.u16le(at + 2) << 16) >> 16;
  const [month, day, hour, minute, second] = [4, 5, 6, 7, 8].map((offset) => fields.u8(at + offset)) as [
    number,
    number,
    number,
    number,
    number,
  ];
  if (year < 1 || year > 9999 || month < 1 || month > 12 || day < 1 || day > 31 || hour > 23 || minute > 59)
    return null;
  // -2047 stands for "no zone given".
  const offset = zone >> 12 === 1 && minutes !== -2047 ? minutes : 0;
  const milliseconds = fields.u8(at + 9) * 10;
  const date = new Date(0);
  date.setUTCFullYear(year, month - 1, day);
  date.setUTCHours(hour, minute - offset, Math.min(second, 59), Math.min(milliseconds, 999));
  return date.toISOString();
}

/** The anchor stands in block 256, in the last one, or 256 before that: UDF 2.01, 2.2.3. */
async function readAnchor(source: ByteSource, blockBytes: number): Promise<Fields | null> {
  const last = Math.floor(source.sizeBytes / blockBytes) - 1;
  for (const block of [256, last, last - 256]) {
    const anchor = block > 0 ? await readTagged(source, block * blockBytes, blockBytes, TAG.anchor) : null;
    if (anchor?.u32le(12) === block) return anchor;
  }
  return null;
}

/** A descriptor's tag identifier where its checksum holds, ECMA-167 3/7.2; else null. */
function tagOf(fields: Fields): number | null {
  if (fields.length < 16) return null;
  let sum = 0;
  for (let at = 0; at < 16; at++) if (at !== 4) sum = (sum + fields.u8(at)) & 0xff;
  return sum === fields.u8(4) && fields.u16le(0) !== 0 ? fields.u16le(0) : null;
}

async function readTagged(source: ByteSource, at: number, blockBytes: number, tag: number): Promise<Fields | null> {
  const bytes = await readExactly(source, at, blockBytes);
  const fields = bytes && new Fields(bytes);
  return fields && tagOf(fields) === tag ? fields : null;
}

/** The byte offsets of the mapped partitions; null where a map is not of type 1 or names no partition. */
function mappedPartitions(volume: Fields, starts: Map<number, number>): number[] | null {
  const count = volume.u32le(268);
  const result: number[] = [];
  let at = 440;
  for (let i = 0; i < Math.min(count, 4); i++) {
    if (at + 6 > volume.length || volume.u8(at) !== 1) return null;
    const start = starts.get(volume.u16le(at + 4));
    if (start === undefined) return null;
    result.push(start);
    at += volume.u8(at + 1) || 6;
  }
  return result.length > 0 ? result : null;
}

/** OSTA compressed Unicode: 8 or 16 bits a character after a leading count of bits (UDF 2.01, 2.1.1). */
function cs0(bytes: Uint8Array): string {
  return bytes[0] === 16 ? utf16(bytes.subarray(1), true) : latin1(bytes.subarray(1));
}

function dString(bytes: Uint8Array): string | null {
  const length = bytes.at(-1) ?? 0;
  return length > 1 && length < bytes.length ? cs0(bytes.subarray(0, length)) || null : null;
}
