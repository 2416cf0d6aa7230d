import { Fields, latin1, utf16 } from "../kernel/fields";
import { lastOf } from "../kernel/item-at";
import { type ByteSource, type Extent, ExtentSource, readExactly } from "../kernel/source";
import { followChain } from "./cluster-chain";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/** FAT12, FAT16 and FAT32 after the Microsoft FAT specification 1.03 (2000). */
type FatKind = "fat12" | "fat16" | "fat32";

/** The BIOS parameter block, with what follows from it. Sizes in bytes. */
export interface FatGeometry {
  kind: FatKind;
  sectorBytes: number;
  clusterBytes: number;
  clusterCount: number;
  fatStart: number;
  fatBytes: number;
  fatCount: number;
  rootStart: number;
  /** Entries of the fixed root directory; 0 for FAT32. */
  rootEntries: number;
  /** First cluster of the root directory; 0 where it is fixed. */
  rootCluster: number;
  dataStart: number;
  /** What the boot sector says the volume holds; may exceed the partition. */
  volumeBytes: number;
  /** The layout is FAT32's but has fewer clusters than FAT32 allows (below 65,525). */
  tooFewClusters: boolean;
  /** The boot sector ends in 55 AA; firmware does not ask for it. */
  signed: boolean;
}

const FAT12_BELOW = 4085;
const FAT16_BELOW = 65525;

/**
 * Reads a FAT boot sector. Null where it is none: which fields must be sane follows the reference UEFI firmware's
 * driver, since a volume that it mounts is one that a computer starts from. 55 AA and the jump are not among them.
 */
export function decodeFatGeometry(sector: Uint8Array): FatGeometry | null {
  if (sector.length < 512) return null;
  const fields = new Fields(sector);
  const sectorBytes = fields.u16le(11);
  const sectorsPerCluster = fields.u8(13);
  const reserved = fields.u16le(14);
  const fatCount = fields.u8(16);
  const rootEntries = fields.u16le(17);
  const totalSectors = fields.u16le(19) || fields.u32le(32);
  const media = fields.u8(21);
  const fat16Sectors = fields.u16le(22);
  const wide = fat16Sectors === 0;
  const fatSectors = wide ? fields.u32le(36) : fat16Sectors;

  if (!isPowerOfTwo(sectorBytes) || sectorBytes < 512 || sectorBytes > 16384) return null;
  if (!isPowerOfTwo(sectorsPerCluster) || reserved === 0 || fatCount === 0 || totalSectors === 0) return null;
  if (fatSectors === 0 || (media <= 0xf7 && media !== 0xf0 && media !== 0x00 && media !== 0x01)) return null;
  const mirroringOff = (fields.u16le(40) & 0x80) !== 0;
  if (wide ? fields.u16le(42) !== 0 || mirroringOff : rootEntries === 0) return null;

  const fatStart = reserved * sectorBytes;
  const fatBytes = fatSectors * sectorBytes;
  const rootStart = fatStart + fatCount * fatBytes;
  const rootBytes = wide ? 0 : Math.ceil((rootEntries * 32) / sectorBytes) * sectorBytes;
  const dataStart = rootStart + rootBytes;
  const clusterBytes = sectorsPerCluster * sectorBytes;
  const volumeBytes = totalSectors * sectorBytes;
  if (dataStart >= volumeBytes) return null;
  const clusterCount = Math.floor((volumeBytes - dataStart) / clusterBytes);
  if (!wide && clusterCount >= FAT16_BELOW) return null;
  return {
    kind: wide ? "fat32" : clusterCount < FAT12_BELOW ? "fat12" : "fat16",
    sectorBytes,
    clusterBytes,
    clusterCount,
    fatStart,
    fatBytes,
    fatCount,
    rootStart,
    rootEntries: wide ? 0 : rootEntries,
    rootCluster: wide ? fields.u32le(44) : 0,
    dataStart,
    volumeBytes,
    tooFewClusters: wide && clusterCount < FAT16_BELOW,
    signed: fields.u16le(510) === 0xaa55,
  };
}

function isPowerOfTwo(value: number): boolean {
  return value > 0 && (value & (value - 1)) === 0;
}

export interface FatEntry extends TreeEntry {
  firstCluster: number;
}

/** A directory larger than this is read no further: the format's own limit is 65,536 entries of 32 bytes. */
const DIRECTORY_MAX_BYTES = 65536 * 32;

/** A FAT volume; `source` is the partition, so what lies past its end cannot be read. */
export class FatTree implements FileTree<FatEntry> {
  private readonly budget = new DirectoryBudget();
  private constructor(
    private readonly source: ByteSource,
    readonly geometry: FatGeometry,
    readonly label: string | null,
  ) {}

  /** Null where the source does not begin with a FAT boot sector. */
  static async open(source: ByteSource): Promise<FatTree | null> {
    const sector = await readExactly(source, 0, 512);
    const geometry = sector && decodeFatGeometry(sector);
    if (!sector || !geometry) return null;
    const labelAt = geometry.kind === "fat32" ? 71 : 43;
    const inBootSector = latin1(sector.subarray(labelAt, labelAt + 11)).trimEnd();
    const extended = sector[labelAt - 5] === 0x29 && inBootSector !== "NO NAME" && /^[\x20-\x7e]+$/.test(inBootSector);
    const tree = new FatTree(source, geometry, extended ? inBootSector : null);
    const inRoot = decodeVolumeLabel(await tree.directoryBytes(null));
    return inRoot === null ? tree : new FatTree(source, geometry, inRoot);
  }

  async list(directory: FatEntry | null): Promise<FatEntry[]> {
    if (this.budget.isSpent) return [];
    return decodeDirectory(this.budget.take(await this.directoryBytes(directory)), this.geometry.kind);
  }

  async open(file: FatEntry): Promise<ByteSource | null> {
    if (file.sizeBytes === 0) return new ExtentSource(this.source, [], 0);
    const needed = Math.ceil(file.sizeBytes / this.geometry.clusterBytes);
    const extents = await this.chain(file.firstCluster, needed);
    if (extents === null) return null;
    const content = new ExtentSource(this.source, extents, file.sizeBytes);
    if (content.sizeBytes < file.sizeBytes) return null;
    const last = lastOf(extents);
    return (last.start as number) >= this.source.sizeBytes ? null : content;
  }

  private async directoryBytes(directory: FatEntry | null): Promise<Uint8Array> {
    const { rootStart, rootEntries, rootCluster, clusterBytes } = this.geometry;
    if (!directory && rootEntries > 0) return this.source.read(rootStart, rootEntries * 32);
    // ".." of a first-level directory points to cluster 0, the root (FAT specification, 6.5).
    const first = directory ? directory.firstCluster || rootCluster : rootCluster;
    if (first === 0) return this.source.read(rootStart, rootEntries * 32);
    const extents = await this.chain(first, Math.ceil(DIRECTORY_MAX_BYTES / clusterBytes), true);
    if (!extents) return new Uint8Array(0);
    const total = extents.reduce((sum, extent) => sum + extent.lengthBytes, 0);
    const content = new ExtentSource(this.source, extents, total);
    return content.read(0, DIRECTORY_MAX_BYTES);
  }

  private chain(first: number, clusters: number, toItsEnd = false): Promise<Extent[] | null> {
    const { clusterBytes, clusterCount, dataStart, kind } = this.geometry;
    const next = (cluster: number) => this.nextCluster(cluster);
    const table = { clusterBytes, clusterCount, dataStart, next, isEnd: (value: number) => isEndOfChain(value, kind) };
    return followChain(table, first, clusters, toItsEnd);
  }

  /** The FAT's value for a cluster; null where the table is not there. */
  private async nextCluster(cluster: number): Promise<number | null> {
    const { kind, fatStart } = this.geometry;
    if (kind === "fat12") {
      const pair = await readExactly(this.source, fatStart + cluster + (cluster >> 1), 2);
      if (!pair) return null;
      const value = new Fields(pair).u16le(0);
      return cluster & 1 ? value >> 4 : value & 0xfff;
    }
    const width = kind === "fat16" ? 2 : 4;
    const bytes = await readExactly(this.source, fatStart + cluster * width, width);
    if (!bytes) return null;
    const fields = new Fields(bytes);
    return width === 2 ? fields.u16le(0) : fields.u32le(0) & 0x0fffffff;
  }
}

function isEndOfChain(value: number, kind: FatKind): boolean {
  return value >= (kind === "fat12" ? 0xff8 : kind === "fat16" ? 0xfff8 : 0x0ffffff8);
}

const ATTRIBUTE_LABEL = 0x08;
const ATTRIBUTE_DIRECTORY = 0x10;
const ATTRIBUTE_LONG_NAME = 0x0f;

function decodeVolumeLabel(bytes: Uint8Array): string | null {
  for (let at = 0; at + 32 <= bytes.length && bytes[at] !== 0; at += 32) {
    const attributes = bytes[at + 11] ?? 0;
    if (bytes[at] === 0xe5 || (attributes & 0x3f) === ATTRIBUTE_LONG_NAME || !(attributes & ATTRIBUTE_LABEL)) continue;
    return latin1(bytes.subarray(at, at + 11)).trimEnd();
  }
  return null;
}

/** The files and directories of a directory's bytes; long names where their checksum fits the short entry. */
function decodeDirectory(bytes: Uint8Array, kind: FatKind): FatEntry[] {
  const fields = new Fields(bytes);
  const entries: FatEntry[] = [];
  let long: LongName | null = null;
  for (let at = 0; at + 32 <= bytes.length; at += 32) {
    const first = fields.u8(at);
    if (first === 0) break;
    if (first === 0xe5) {
      long = null;
      continue;
    }
    const attributes = fields.u8(at + 11);
    if ((attributes & 0x3f) === ATTRIBUTE_LONG_NAME) {
      long = continueLongName(long, fields, at);
      continue;
    }
    const name = finishedLongName(long, fields.slice(at, 11)) ?? shortName(fields, at);
    long = null;
    if (attributes & ATTRIBUTE_LABEL || name === "." || name === "..") continue;
    const directory = (attributes & ATTRIBUTE_DIRECTORY) !== 0;
    const clusterHigh = kind === "fat32" ? fields.u16le(at + 20) : 0;
    const firstCluster = clusterHigh * 65536 + fields.u16le(at + 26);
    entries.push({
      name,
      directory,
      sizeBytes: directory ? 0 : fields.u32le(at + 28),
      modified: fatTime(fields.u16le(at + 24), fields.u16le(at + 22)),
      firstCluster,
      id: firstCluster,
    });
  }
  return entries;
}

/** Pieces of a long name, last one first as stored; `next` is the ordinal that must follow. */
interface LongName {
  pieces: string[];
  checksum: number;
  next: number;
}

function continueLongName(before: LongName | null, fields: Fields, at: number): LongName | null {
  const ordinal = fields.u8(at) & 0x3f;
  const checksum = fields.u8(at + 13);
  const piece = utf16(
    new Uint8Array([...fields.slice(at + 1, 10), ...fields.slice(at + 14, 12), ...fields.slice(at + 28, 4)]),
  );
  if (fields.u8(at) & 0x40) return ordinal === 0 ? null : { pieces: [piece], checksum, next: ordinal - 1 };
  if (!before || before.next !== ordinal || before.checksum !== checksum || ordinal === 0) return null;
  return { pieces: [piece, ...before.pieces], checksum, next: ordinal - 1 };
}

function finishedLongName(long: LongName | null, shortBytes: Uint8Array): string | null {
  if (long?.next !== 0) return null;
  let sum = 0;
  for (const byte of shortBytes) sum = (((sum & 1) << 7) + (sum >> 1) + byte) & 0xff;
  if (sum !== long.checksum) return null;
  const text = long.pieces.join("");
  const end = text.indexOf("\0");
  return end < 0 ? text : text.slice(0, end);
}

function shortName(fields: Fields, at: number): string {
  // 0x05 stands for a first byte of 0xE5, which would mean "deleted"; bits 3 and 4 of byte 12 mean lower case.
  const raw = fields.ascii(at, 8);
  const base = (raw.charCodeAt(0) === 0x05 ? `\u00e5${raw.slice(1)}` : raw).trimEnd();
  const extension = fields.ascii(at + 8, 3).trimEnd();
  const flags = fields.u8(at + 12);
  const shownBase = flags & 0x08 ? base.toLowerCase() : base;
  const shownExtension = flags & 0x10 ? extension.toLowerCase() : extension;
  return shownExtension ? `${shownBase}.${shownExtension}` : shownBase;
}

/** FAT specification, 6.4 "Date and time formats"; null where the date is not one. */
export function fatTime(date: number, time: number): string | null {
  const [year, month, day] = [1980 + (date >> 9), (date >> 5) & 15, date & 31];
  const ms = Date.UTC(year, month - 1, day, time >> 11, (time >> 5) & 63, (time & 31) * 2);
  return month >= 1 && month <= 12 && day >= 1 && Number.isFinite(ms) ? new Date(ms).toISOString() : null;
}
