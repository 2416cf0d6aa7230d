import { Fields, latin1, utf16 } from "../bytes/fields";
import { type ByteSource, type Extent, ExtentSource, readExactly } from "../bytes/source";
import type { FileTree, TreeEntry } from "./file-tree";

/**
 * UDF 1.02 to 2.01 on plain (type 1) partitions, after ECMA-167: enough to walk directories and read files.
 * Virtual, sparable and metadata partitions are recognised as such and not read.
 */
const TAG = {
  anchor: 2,
  partition: 5,
  logicalVolume: 6,
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
const ALLOCATIONS_MAX = 4096;
const DIRECTORY_MAX_BYTES = 4 << 20;

export class UdfTree implements FileTree<UdfEntry> {
  private constructor(
    private readonly source: ByteSource,
    private readonly blockBytes: number,
    /** Byte offset of each partition that the logical volume maps, in map order. */
    private readonly partitionStarts: number[],
    private readonly root: Address,
    readonly label: string | null,
  ) {}

  /** Null where there is no UDF with this block size, or one of a kind that is not read here. */
  static async open(source: ByteSource, blockBytes: number): Promise<UdfTree | null> {
    const anchor = await readTagged(source, 256 * blockBytes, blockBytes, TAG.anchor);
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
    const content = await this.content(directory?.icb ?? this.root);
    if (!content) return [];
    const bytes = await content.source.read(0, DIRECTORY_MAX_BYTES);
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
        const file = directory ? null : await this.content(icb);
        entries.push({ name, directory, sizeBytes: file?.sizeBytes ?? 0, modified: null, icb });
      }
      at += length;
    }
    return entries;
  }

  async open(file: UdfEntry): Promise<ByteSource | null> {
    const content = await this.content(file.icb);
    return content && content.source.sizeBytes >= content.sizeBytes ? content.source : null;
  }

  /** A file entry's data: embedded, or in short or long allocation descriptors. ECMA-167 4/14.9 and 4/14.17. */
  private async content(icb: Address): Promise<{ source: ByteSource; sizeBytes: number } | null> {
    const start = this.partitionStarts[icb.partition];
    if (start === undefined) return null;
    const at = start + icb.block * this.blockBytes;
    const bytes = await readExactly(this.source, at, this.blockBytes);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    const tag = tagOf(fields);
    if (tag !== TAG.fileEntry && tag !== TAG.extendedFileEntry) return null;
    const extended = tag === TAG.extendedFileEntry;
    const sizeBytes = Number(fields.u64le(56));
    const attributesBytes = fields.u32le(extended ? 208 : 168);
    const allocationBytes = fields.u32le(extended ? 212 : 172);
    const allocationAt = (extended ? 216 : 176) + attributesBytes;
    if (allocationAt + allocationBytes > this.blockBytes || !Number.isSafeInteger(sizeBytes)) return null;
    const kind = fields.u16le(34) & 7;
    if (kind === 3) {
      const embedded: Extent = { start: at + allocationAt, lengthBytes: allocationBytes };
      return { source: new ExtentSource(this.source, [embedded], Math.min(sizeBytes, allocationBytes)), sizeBytes };
    }
    if (kind > 1) return null;
    const width = kind === 0 ? 8 : 16;
    const extents: Extent[] = [];
    for (let i = 0; i < Math.min(ALLOCATIONS_MAX, Math.floor(allocationBytes / width)); i++) {
      const entryAt = allocationAt + i * width;
      const raw = fields.u32le(entryAt);
      const lengthBytes = raw & 0x3fffffff;
      if (lengthBytes === 0) break;
      const recorded = raw >>> 30 === 0;
      if (raw >>> 30 === 3) return null;
      const partition = kind === 0 ? icb.partition : fields.u16le(entryAt + 8);
      const base = this.partitionStarts[partition];
      if (base === undefined) return null;
      extents.push({ start: recorded ? base + fields.u32le(entryAt + 4) * this.blockBytes : null, lengthBytes });
    }
    return { source: new ExtentSource(this.source, extents, sizeBytes), sizeBytes };
  }
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
  const length = bytes[bytes.length - 1] as number;
  return length > 1 && length < bytes.length ? cs0(bytes.subarray(0, length)) || null : null;
}
