import { Fields, hasText, toSafeNumber, utf16 } from "../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, readExactly } from "../kernel/source";
import { type AllocationReading, MarkedAllocation, marksFrom } from "./allocation";
import { type ClusterTable, followChain } from "./cluster-chain";
import { fatTime } from "./fat";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";

/** exFAT after the Microsoft exFAT file system specification 1.00 (2019). Offsets and sizes in bytes. */
interface ExfatGeometry {
  clusterBytes: number;
  clusterCount: number;
  fatStart: number;
  fatBytes: number;
  dataStart: number;
  rootCluster: number;
  /** It was not left in order (3.1.13.2). */
  isDirty: boolean;
}

/** Where a file's clusters begin, and whether they simply follow each other (7.6.2.2, "NoFatChain"). */
interface Stream {
  firstCluster: number;
  contiguous: boolean;
  lengthBytes: number;
  /** What lies past it was never written and reads as zeros (7.6.5). */
  validBytes: number;
}

export interface ExfatEntry extends TreeEntry {
  stream: Stream;
}

/** Section 3.1: the main boot sector. Null where it is none. */
function decodeGeometry(sector: Uint8Array): ExfatGeometry | null {
  if (!hasText(sector, 3, "EXFAT   ")) return null;
  const fields = new Fields(sector);
  const sectorShift = fields.u8(108);
  const clusterShift = sectorShift + fields.u8(109);
  // 3.1.14 and 3.1.15: sectors of 512 to 4,096 bytes, clusters of 32 MiB at most.
  if (sectorShift < 9 || sectorShift > 12 || clusterShift > 25) return null;
  const sectorBytes = 2 ** sectorShift;
  const clusterCount = fields.u32le(92);
  const geometry = {
    clusterBytes: 2 ** clusterShift,
    clusterCount,
    // The active FAT: the second one only exists in TexFAT (3.1.13).
    fatStart: (fields.u32le(80) + (fields.u16le(106) & 1 ? fields.u32le(84) : 0)) * sectorBytes,
    fatBytes: fields.u32le(84) * sectorBytes,
    dataStart: fields.u32le(88) * sectorBytes,
    rootCluster: fields.u32le(96),
    isDirty: (fields.u16le(106) & 0x2) !== 0,
  };
  return geometry.rootCluster >= 2 && geometry.rootCluster < clusterCount + 2 ? geometry : null;
}

/** Section 7.4 allows 256 MiB; a directory larger than this is read no further. */
const DIRECTORY_MAX_BYTES = 16 << 20;
/** Part of the FAT kept at hand while a chain is followed. */
const FAT_WINDOW_BYTES = 64 * 1024;

const ENTRY = { bitmap: 0x81, label: 0x83, file: 0x85, stream: 0xc0, name: 0xc1 };
const ATTRIBUTE_DIRECTORY = 0x10;

export class ExfatTree implements FileTree<ExfatEntry> {
  private readonly budget = new DirectoryBudget();
  private fatWindow: { start: number; fields: Fields } | null = null;
  label: string | null = null;
  private constructor(
    private readonly source: ByteSource,
    private readonly geometry: ExfatGeometry,
  ) {}

  /** Null where the source does not begin with an exFAT boot sector. */
  static async open(source: ByteSource): Promise<ExfatTree | null> {
    const sector = await readExactly(source, 0, 512);
    const geometry = sector && decodeGeometry(sector);
    if (!geometry) return null;
    const tree = new ExfatTree(source, geometry);
    tree.label = decodeLabel(await tree.directoryBytes(null));
    return tree;
  }

  async list(directory: ExfatEntry | null): Promise<ExfatEntry[]> {
    if (this.budget.isSpent) return [];
    return decodeDirectory(this.budget.take(await this.directoryBytes(directory)));
  }

  async open(file: ExfatEntry): Promise<ByteSource | null> {
    const { stream } = file;
    if (stream.lengthBytes === 0) return new ExtentSource(this.source, [], 0);
    const extents = await this.extents(stream);
    if (!extents) return null;
    const written = cut(extents, stream.validBytes);
    // What was reserved and not written is told as zeros: old content of those clusters is not the file's.
    if (stream.validBytes < stream.lengthBytes)
      written.push({ start: null, lengthBytes: stream.lengthBytes - stream.validBytes });
    // A file that reaches past the volume is not opened: half of it would look like the whole.
    const inside = written.every(
      (each) => each.start === null || each.start + each.lengthBytes <= this.source.sizeBytes,
    );
    return inside ? new ExtentSource(this.source, written, stream.lengthBytes) : null;
  }

  /** What the volume uses, by its allocation bitmap (7.1); a second one only exists in TexFAT, and is not believed. */
  async allocation(): Promise<AllocationReading> {
    const { clusterBytes, clusterCount, dataStart, isDirty } = this.geometry;
    // Files may lie in a row without any chain, so that only the bitmap tells of them.
    if (isDirty) return { ok: false, why: "not-left-in-order" };
    const root = new Fields(await this.directoryBytes(null));
    const at = [...Array(root.length >> 5).keys()].find(
      (i) => root.u8(i * 32) === ENTRY.bitmap && !(root.u8(i * 32 + 1) & 1),
    );
    const lengthBytes = at === undefined ? null : toSafeNumber(root.u64le(at * 32 + 24));
    if (at === undefined || lengthBytes === null || lengthBytes < clusterCount / 8)
      return { ok: false, why: "maps-damaged" };
    const firstCluster = root.u32le(at * 32 + 20);
    const extents = await this.extents({ firstCluster, contiguous: false, lengthBytes, validBytes: lengthBytes });
    if (!extents) return { ok: false, why: "maps-damaged" };
    const bitmap = new ExtentSource(this.source, extents, lengthBytes);
    const units = { origin: dataStart, unitBytes: clusterBytes, units: clusterCount };
    return { ok: true, allocation: new MarkedAllocation({ ...units, marks: marksFrom(bitmap) }) };
  }

  private async directoryBytes(directory: ExfatEntry | null): Promise<Uint8Array> {
    const { clusterBytes, rootCluster } = this.geometry;
    const extents = directory
      ? await this.extents({
          ...directory.stream,
          lengthBytes: Math.min(directory.stream.lengthBytes, DIRECTORY_MAX_BYTES),
        })
      : await followChain(this.table(), rootCluster, Math.ceil(DIRECTORY_MAX_BYTES / clusterBytes), true);
    if (!extents) return new Uint8Array(0);
    const total = extents.reduce((sum, extent) => sum + extent.lengthBytes, 0);
    return new ExtentSource(this.source, extents, total).read(0, DIRECTORY_MAX_BYTES);
  }

  private async extents(stream: Stream): Promise<Extent[] | null> {
    const { clusterBytes, clusterCount, dataStart } = this.geometry;
    const clusters = Math.ceil(stream.lengthBytes / clusterBytes);
    const first = stream.firstCluster;
    if (!stream.contiguous) return followChain(this.table(), first, clusters);
    // Without a chain the clusters simply follow each other; the FAT's entries for them mean nothing (7.6.2.2).
    if (first < 2 || first - 2 + clusters > clusterCount) return null;
    return [{ start: dataStart + (first - 2) * clusterBytes, lengthBytes: clusters * clusterBytes }];
  }

  private table(): ClusterTable {
    const { clusterBytes, clusterCount, dataStart } = this.geometry;
    return {
      clusterBytes,
      clusterCount,
      dataStart,
      next: (cluster) => this.nextCluster(cluster),
      isEnd: (value) => value === 0xffffffff,
    };
  }

  private async nextCluster(cluster: number): Promise<number | null> {
    const at = cluster * 4;
    if (at + 4 > this.geometry.fatBytes) return null;
    const start = Math.floor(at / FAT_WINDOW_BYTES) * FAT_WINDOW_BYTES;
    if (this.fatWindow?.start !== start) {
      const bytes = await this.source.read(this.geometry.fatStart + start, FAT_WINDOW_BYTES);
      this.fatWindow = { start, fields: new Fields(bytes) };
    }
    const { fields } = this.fatWindow;
    return at - start + 4 <= fields.length ? fields.u32le(at - start) : null;
  }
}

/** The first `lengthBytes` of a row of extents. */
function cut(extents: Extent[], lengthBytes: number): Extent[] {
  const result: Extent[] = [];
  let left = lengthBytes;
  for (const extent of extents) {
    if (left <= 0) break;
    result.push({ start: extent.start, lengthBytes: Math.min(left, extent.lengthBytes) });
    left -= extent.lengthBytes;
  }
  return result;
}

/** Section 7.3: the volume label in the root. */
function decodeLabel(bytes: Uint8Array): string | null {
  for (let at = 0; at + 32 <= bytes.length && bytes[at] !== 0; at += 32) {
    if (bytes[at] !== ENTRY.label) continue;
    return utf16(bytes.subarray(at + 2, at + 2 + Math.min(11, bytes[at + 1] ?? 0) * 2)) || null;
  }
  return null;
}

/** Sections 7.4, 7.6 and 7.7: a set of one file entry, one stream extension and its names, with a checksum over all. */
function decodeDirectory(bytes: Uint8Array): ExfatEntry[] {
  const fields = new Fields(bytes);
  const entries: ExfatEntry[] = [];
  for (let at = 0; at + 32 <= bytes.length; at += 32) {
    const type = fields.u8(at);
    if (type === 0) break;
    if (type !== ENTRY.file) continue;
    const secondaries = fields.u8(at + 1);
    // A set that does not add up is left out as a whole, and reading goes on behind its first entry.
    const setBytes = (secondaries + 1) * 32;
    if (secondaries < 2 || at + setBytes > bytes.length || fields.u8(at + 32) !== ENTRY.stream) continue;
    if (setChecksum(fields.slice(at, setBytes)) !== fields.u16le(at + 2)) continue;
    const nameLength = fields.u8(at + 32 + 3);
    let name = "";
    for (let nameAt = at + 64; nameAt < at + setBytes && fields.u8(nameAt) === ENTRY.name; nameAt += 32)
      name += utf16(fields.slice(nameAt + 2, 30));
    const lengthBytes = toSafeNumber(fields.u64le(at + 32 + 24));
    const validBytes = toSafeNumber(fields.u64le(at + 32 + 8));
    if (lengthBytes === null || validBytes === null || validBytes > lengthBytes) continue;
    const directory = (fields.u16le(at + 4) & ATTRIBUTE_DIRECTORY) !== 0;
    const firstCluster = fields.u32le(at + 32 + 20);
    entries.push({
      name: name.slice(0, nameLength),
      directory,
      sizeBytes: directory ? 0 : lengthBytes,
      modified: modifiedAt(fields, at),
      id: firstCluster,
      stream: { firstCluster, contiguous: (fields.u8(at + 32 + 1) & 2) !== 0, lengthBytes, validBytes },
    });
    at += setBytes - 32;
  }
  return entries;
}

/** Section 6.3.3, figure 2. */
function setChecksum(set: Uint8Array): number {
  let sum = 0;
  for (let at = 0; at < set.length; at++) {
    // The sum's own two bytes are not part of it.
    if (at === 2 || at === 3) continue;
    sum = (((sum & 1) << 15) | (sum >> 1)) + (set[at] ?? 0);
    sum &= 0xffff;
  }
  return sum;
}

/** Sections 7.4.8 to 7.4.10: a DOS time, tens of milliseconds, and an offset from UTC in quarter hours. */
function modifiedAt(fields: Fields, at: number): string | null {
  const local = fatTime(fields.u16le(at + 14), fields.u16le(at + 12));
  if (!local) return null;
  const offset = fields.u8(at + 23);
  // The top bit says that an offset is told; below it a signed number of seven bits (7.4.10).
  const quarters = offset & 0x80 ? (offset & 0x40 ? (offset & 0x7f) - 128 : offset & 0x7f) : 0;
  return new Date(Date.parse(local) + fields.u8(at + 21) * 10 - quarters * 900_000).toISOString();
}
