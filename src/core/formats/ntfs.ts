import { Fields, hasText, toSafeNumber, utf16 } from "../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, MemorySource, readExactly } from "../kernel/source";
import { type AllocationReading, MarkedAllocation, marksFrom } from "./allocation";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";
import { isLogTakenIn } from "./ntfs-log";

/**
 * NTFS 3.1, reading only. The layout is that of the kernel's own headers (fs/ntfs3/ntfs.h) and of ntfs-3g's
 * layout.h; there is no published standard.
 */
const ATTRIBUTE = {
  list: 0x20,
  fileName: 0x30,
  volumeName: 0x60,
  volumeInformation: 0x70,
  data: 0x80,
  indexRoot: 0x90,
  indexAllocation: 0xa0,
  bitmap: 0xb0,
  reparsePoint: 0xc0,
  end: 0xffffffff,
};
const RECORD = { log: 2, volume: 3, root: 5, bitmap: 6, firstOwn: 16 };
const FLAG = { compressed: 0x00ff, encrypted: 0x4000 };
const REPARSE = { mountPoint: 0xa0000003, symlink: 0xa000000c, wof: 0x80000017, dedup: 0x80000013 };
/** Multi-sector structures are protected in strides of 512 bytes whatever the sector size. */
const STRIDE = 512;
const RECORD_MAX_BYTES = 64 * 1024;
const ATTRIBUTES_MAX = 1024;
const RUNS_MAX = 1 << 20;
/** A directory's index is read no further: half a million names. */
const INDEX_MAX_BYTES = 64 << 20;

interface Geometry {
  clusterBytes: number;
  recordBytes: number;
  mftStart: number;
  volumeBytes: number;
}

export interface NtfsEntry extends TreeEntry {
  record: number;
}

/** An attribute's content in one or several pieces, already strung together. */
interface Attribute {
  content: ByteSource | null;
  sizeBytes: number;
  flags: number;
}

interface Piece {
  type: number;
  name: string;
  flags: number;
  /** Resident: the value. */
  value: Uint8Array | null;
  /** Non-resident: first virtual cluster, runs, and the sizes that the first piece carries. */
  lowest: number;
  runs: Extent[];
  sizeBytes: number;
  validBytes: number;
}

interface FileRecord {
  number: number;
  directory: boolean;
  pieces: Piece[];
}

/** Null where it is no NTFS boot sector or its sizes are impossible. */
function decodeGeometry(sector: Uint8Array): Geometry | null {
  if (!hasText(sector, 3, "NTFS    ")) return null;
  const fields = new Fields(sector);
  const sectorBytes = fields.u16le(11);
  if (![256, 512, 1024, 2048, 4096].includes(sectorBytes)) return null;
  const perCluster = fields.u8(13);
  const clusterBytes = perCluster > 0x80 ? sectorBytes * 2 ** (256 - perCluster) : perCluster * sectorBytes;
  const perRecord = fields.u8(64);
  const recordBytes = perRecord > 0x80 ? 2 ** (256 - perRecord) : perRecord * clusterBytes;
  const mft = toSafeNumber(fields.u64le(48) * BigInt(clusterBytes));
  const volumeBytes = toSafeNumber(fields.u64le(40) * BigInt(sectorBytes));
  if (!(clusterBytes >= 256) || clusterBytes > 2 << 20 || mft === null || volumeBytes === null) return null;
  // Records are protected sector by sector: one that is no multiple of 512 bytes cannot be mended.
  if (recordBytes < STRIDE || recordBytes > RECORD_MAX_BYTES || recordBytes % STRIDE !== 0) return null;
  return { clusterBytes, recordBytes, mftStart: mft, volumeBytes };
}

/** The mark of a volume that asks to be checked, in its $VOLUME_INFORMATION. */
const VOLUME_DIRTY = 1;

export class NtfsTree implements FileTree<NtfsEntry> {
  private readonly budget = new DirectoryBudget();
  label: string | null = null;
  private mft: ByteSource;
  private constructor(
    private readonly source: ByteSource,
    private readonly geometry: Geometry,
  ) {
    this.mft = new ExtentSource(
      source,
      [{ start: geometry.mftStart, lengthBytes: geometry.recordBytes * RECORD.firstOwn }],
      geometry.recordBytes * RECORD.firstOwn,
    );
  }

  /** Null where there is no NTFS, or its table of files cannot be found. */
  static async open(source: ByteSource): Promise<NtfsTree | null> {
    const sector = await readExactly(source, 0, 512);
    const geometry = sector && decodeGeometry(sector);
    if (!geometry) return null;
    const tree = new NtfsTree(source, geometry);
    const mft = await tree.record(0);
    if (!mft) return null;
    // A table in very many pieces lists them in further records, which lie in its first pieces.
    for (const pieces of [mft.pieces, null]) {
      const table = tree.attribute(pieces ?? (await tree.record(0))?.pieces ?? [], ATTRIBUTE.data, "");
      if (table?.content) tree.mft = table.content;
    }
    const volume = await tree.record(RECORD.volume);
    const name = volume?.pieces.find((each) => each.type === ATTRIBUTE.volumeName)?.value;
    tree.label = (name && utf16(name)) || null;
    return tree;
  }

  async list(directory: NtfsEntry | null): Promise<NtfsEntry[]> {
    const record = await this.record(directory?.record ?? RECORD.root);
    if (!record?.directory) return [];
    const names = new Map<string, { record: number; modified: string | null }>();
    const root = record.pieces.find((each) => each.type === ATTRIBUTE.indexRoot && each.name === "$I30")?.value;
    if (!root || root.length < 32) return [];
    readIndexEntries(new Fields(root), 16, root.length, names);
    await this.readIndexBlocks(record, new Fields(root).u32le(8), names);
    const entries: NtfsEntry[] = [];
    for (const [name, found] of names) {
      // The file system's own files are not content ($MFT, $Bitmap …).
      if (found.record < RECORD.firstOwn) continue;
      const entry = await this.describe(name, found.record, found.modified);
      if (entry) entries.push(entry);
    }
    return entries;
  }

  async open(file: NtfsEntry): Promise<ByteSource | null> {
    if (file.unreadable || file.link !== undefined) return null;
    const record = await this.record(file.record);
    if (!record) return null;
    const data = this.attribute(record.pieces, ATTRIBUTE.data, "");
    // A file without data is empty, and there; a data attribute whose runs do not cover it is damaged.
    if (!data) return new MemorySource(new Uint8Array(0));
    return data.content && data.content.sizeBytes === data.sizeBytes ? data.content : null;
  }

  /**
   * What the volume uses, by its own bitmap. Not believed where the volume asks to be checked, or where its log knows of
   * changes that were not taken in: then the bitmap may be behind what was written.
   */
  async allocation(): Promise<AllocationReading> {
    const [volume, bitmap, log] = [
      await this.record(RECORD.volume),
      await this.record(RECORD.bitmap),
      await this.record(RECORD.log),
    ];
    const marks = bitmap && this.attribute(bitmap.pieces, ATTRIBUTE.data, "")?.content;
    const journal = log && this.attribute(log.pieces, ATTRIBUTE.data, "")?.content;
    const information = volume?.pieces.find((each) => each.type === ATTRIBUTE.volumeInformation)?.value;
    const { clusterBytes, volumeBytes } = this.geometry;
    const units = Math.floor(volumeBytes / clusterBytes);
    if (!marks || !journal || !information || information.length < 12 || marks.sizeBytes < units / 8)
      return { ok: false, why: "maps-damaged" };
    if (new Fields(information).u16le(10) & VOLUME_DIRTY || !(await isLogTakenIn(journal)))
      return { ok: false, why: "not-left-in-order" };
    const allocation = new MarkedAllocation({ origin: 0, unitBytes: clusterBytes, units, marks: marksFrom(marks) });
    return { ok: true, allocation };
  }

  private async describe(name: string, number: number, modified: string | null): Promise<NtfsEntry | null> {
    const record = await this.record(number);
    if (!record) return null;
    const entry: NtfsEntry = { name, directory: record.directory, sizeBytes: 0, modified, record: number, id: number };
    const data = this.attribute(record.pieces, ATTRIBUTE.data, "");
    if (!entry.directory) entry.sizeBytes = data?.sizeBytes ?? 0;
    // Told, not opened: the content would be cipher text or packed bytes under the file's own name and size.
    if (data && data.flags & FLAG.encrypted) entry.unreadable = "encrypted";
    else if (data && data.flags & FLAG.compressed) entry.unreadable = "compressed";
    const reparse = this.attribute(record.pieces, ATTRIBUTE.reparsePoint, "")?.content;
    if (reparse) this.applyReparse(entry, new Fields(await reparse.read(0, 16 * 1024)));
    return entry;
  }

  /** Links, and files whose content another part of the system keeps ([MS-FSCC] 2.1.2). */
  private applyReparse(entry: NtfsEntry, fields: Fields): void {
    if (fields.length < 8) return;
    const tag = fields.u32le(0);
    if (tag === REPARSE.wof) entry.unreadable = "compressed";
    else if (tag === REPARSE.symlink || tag === REPARSE.mountPoint) {
      const pathAt = tag === REPARSE.symlink ? 20 : 16;
      if (fields.length < pathAt) return;
      const at = pathAt + fields.u16le(12);
      // Written with backslashes; shown and followed as every path is here.
      entry.link = utf16(fields.slice(at, fields.u16le(14))).replaceAll("\\", "/");
      entry.directory = false;
    } else if (!entry.directory) entry.unreadable = "elsewhere";
  }

  /** Blocks of an index that its bitmap marks as used; damage in one leaves out that one. */
  private async readIndexBlocks(
    record: FileRecord,
    blockBytes: number,
    names: Map<string, { record: number; modified: string | null }>,
  ): Promise<void> {
    const allocation = this.attribute(record.pieces, ATTRIBUTE.indexAllocation, "$I30")?.content;
    if (!allocation || blockBytes < STRIDE || blockBytes > RECORD_MAX_BYTES) return;
    const bitmapSource = this.attribute(record.pieces, ATTRIBUTE.bitmap, "$I30")?.content;
    const blocks = Math.floor(Math.min(allocation.sizeBytes, INDEX_MAX_BYTES) / blockBytes);
    const bitmap = (await bitmapSource?.read(0, Math.ceil(blocks / 8))) ?? new Uint8Array(0);
    for (let block = 0; block < blocks; block++) {
      if (!((bitmap[block >> 3] ?? 0) & (1 << (block & 7)))) continue;
      const bytes = this.budget.isSpent ? null : await readExactly(allocation, block * blockBytes, blockBytes);
      if (!bytes) break;
      const mended = hasText(this.budget.take(bytes), 0, "INDX") ? fixUp(bytes) : null;
      if (mended) readIndexEntries(new Fields(mended), 24, mended.length, names);
    }
  }

  /** A file record with the attributes of its extension records; null where it is not in use or is damaged. */
  private async record(number: number): Promise<FileRecord | null> {
    const base = await this.readRecord(number);
    if (!base) return null;
    const list = base.pieces.find((each) => each.type === ATTRIBUTE.list);
    if (!list) return base;
    const attribute = this.attribute([list], ATTRIBUTE.list, "");
    const bytes = (await attribute?.content?.read(0, 256 * 1024)) ?? new Uint8Array(0);
    for (const other of listedRecords(new Fields(bytes), number)) {
      const extension = await this.readRecord(other);
      if (extension) base.pieces.push(...extension.pieces);
    }
    return base;
  }

  private async readRecord(number: number): Promise<FileRecord | null> {
    const { recordBytes } = this.geometry;
    const bytes = await readExactly(this.mft, number * recordBytes, recordBytes);
    const mended = bytes && hasText(bytes, 0, "FILE") ? fixUp(bytes) : null;
    if (!mended) return null;
    const fields = new Fields(mended);
    const flags = fields.u16le(22);
    // A record that is not in use keeps the last file's attributes.
    if (!(flags & 1)) return null;
    const used = Math.min(fields.u32le(24), recordBytes);
    return { number, directory: (flags & 2) !== 0, pieces: this.readPieces(fields, fields.u16le(20), used) };
  }

  private readPieces(fields: Fields, first: number, used: number): Piece[] {
    const pieces: Piece[] = [];
    let at = first;
    while (at + 24 <= used && pieces.length < ATTRIBUTES_MAX) {
      const type = fields.u32le(at);
      const length = fields.u32le(at + 4);
      if (type === ATTRIBUTE.end || length < 24 || at + length > used) break;
      const piece = this.readPiece(new Fields(fields.slice(at, length)), type);
      if (piece) pieces.push(piece);
      at += length;
    }
    return pieces;
  }

  private readPiece(fields: Fields, type: number): Piece | null {
    const nameAt = fields.u16le(10);
    const piece: Piece = {
      type,
      name: utf16(fields.slice(nameAt, fields.u8(9) * 2)),
      flags: fields.u16le(12),
      value: null,
      lowest: 0,
      runs: [],
      sizeBytes: 0,
      validBytes: 0,
    };
    // Resident: the value lies in the record itself.
    if (fields.u8(8) === 0) {
      const [length, at] = [fields.u32le(16), fields.u16le(20)];
      if (at + length > fields.length) return null;
      return { ...piece, value: fields.slice(at, length), sizeBytes: length, validBytes: length };
    }
    if (fields.length < 64) return null;
    const lowest = toSafeNumber(fields.u64le(16));
    const sizeBytes = toSafeNumber(fields.u64le(48));
    const validBytes = toSafeNumber(fields.u64le(56));
    const runs = this.readRuns(fields, fields.u16le(32));
    if (lowest === null || sizeBytes === null || validBytes === null || !runs) return null;
    return { ...piece, lowest, runs, sizeBytes, validBytes };
  }

  /** Mapping pairs: lengths, and places as signed differences; a pair without a place is a hole. */
  private readRuns(fields: Fields, from: number): Extent[] | null {
    const { clusterBytes } = this.geometry;
    const runs: Extent[] = [];
    let at = from;
    let cluster = 0;
    while (at < fields.length && fields.u8(at) !== 0 && runs.length < RUNS_MAX) {
      const [lengthWidth, placeWidth] = [fields.u8(at) & 15, fields.u8(at) >> 4];
      if (lengthWidth === 0 || lengthWidth > 8 || placeWidth > 8) return null;
      if (at + 1 + lengthWidth + placeWidth > fields.length) return null;
      const length = signed(fields, at + 1, lengthWidth);
      const lengthBytes = length * clusterBytes;
      if (length <= 0 || !Number.isSafeInteger(lengthBytes)) return null;
      if (placeWidth === 0) runs.push({ start: null, lengthBytes });
      else {
        cluster += signed(fields, at + 1 + lengthWidth, placeWidth);
        const start = cluster * clusterBytes;
        // Differences add up over all runs: one damaged byte moves every later one, so nothing of them is used.
        if (cluster < 0 || !Number.isSafeInteger(start + lengthBytes)) return null;
        runs.push({ start, lengthBytes });
      }
      at += 1 + lengthWidth + placeWidth;
    }
    return runs;
  }

  /** The attribute of a type and name, its pieces in order; null where the record has none. */
  private attribute(pieces: Piece[], type: number, name: string): Attribute | null {
    const attributePieces = pieces.filter((each) => each.type === type && each.name === name);
    const first = attributePieces.find((each) => each.value !== null || each.lowest === 0);
    if (!first) return null;
    const { flags, sizeBytes, validBytes } = first;
    if (first.value) return { content: new MemorySource(first.value), sizeBytes, flags };
    const ordered = attributePieces.filter((each) => each.value === null).sort((a, b) => a.lowest - b.lowest);
    const extents: Extent[] = [];
    let total = 0;
    for (const piece of ordered) {
      // A piece that does not begin where the last one ended is missing one, or is there twice.
      if (piece.lowest * this.geometry.clusterBytes !== total) break;
      extents.push(...piece.runs);
      total += piece.runs.reduce((sum, run) => sum + run.lengthBytes, 0);
    }
    if (flags & (FLAG.compressed | FLAG.encrypted)) return { content: null, sizeBytes, flags };
    const written = withoutUnwritten(extents, Math.min(validBytes, sizeBytes), sizeBytes);
    const inside = written.every((run) => run.start === null || run.start + run.lengthBytes <= this.source.sizeBytes);
    return { content: inside ? new ExtentSource(this.source, written, sizeBytes) : null, sizeBytes, flags };
  }
}

/** Extents of which only the first `validBytes` were ever written: the rest, up to `sizeBytes`, reads as zeros. */
function withoutUnwritten(extents: Extent[], validBytes: number, sizeBytes: number): Extent[] {
  const result: Extent[] = [];
  let at = 0;
  for (const { start, lengthBytes } of extents) {
    const end = Math.min(at + lengthBytes, sizeBytes);
    const written = Math.max(0, Math.min(end, validBytes) - at);
    if (written > 0) result.push({ start, lengthBytes: written });
    if (end > at + written) result.push({ start: null, lengthBytes: end - at - written });
    at += lengthBytes;
    if (at >= sizeBytes) break;
  }
  return result;
}

/** A little-endian signed number of up to 8 bytes. */
function signed(fields: Fields, at: number, width: number): number {
  let value = 0;
  for (let i = width - 1; i >= 0; i--) value = value * 256 + fields.u8(at + i);
  return fields.u8(at + width - 1) & 0x80 ? value - 256 ** width : value;
}

/** Undoes the protection of a multi-sector structure; null where a sector was not written with the others. */
function fixUp(bytes: Uint8Array): Uint8Array | null {
  const fields = new Fields(bytes);
  const [arrayAt, count] = [fields.u16le(4), fields.u16le(6)];
  if (count < 2 || (count - 1) * STRIDE > bytes.length || arrayAt + count * 2 > bytes.length) return null;
  const mended = bytes.slice();
  for (let i = 1; i < count; i++) {
    const at = i * STRIDE - 2;
    // Each sector ends in the same number; what stood there lies in the array.
    if (fields.u16le(at) !== fields.u16le(arrayAt)) return null;
    mended.set(fields.slice(arrayAt + i * 2, 2), at);
  }
  return mended;
}

/** Record numbers other than the base's own that an attribute list names. */
function listedRecords(fields: Fields, base: number): Set<number> {
  const records = new Set<number>();
  let at = 0;
  while (at + 26 <= fields.length && records.size < ATTRIBUTES_MAX) {
    const length = fields.u16le(at + 4);
    if (length < 26) break;
    const number = recordNumber(fields, at + 16);
    if (number !== base) records.add(number);
    at += length;
  }
  return records;
}

/** The lower 48 bits of a file reference. */
function recordNumber(fields: Fields, at: number): number {
  return fields.u32le(at) + fields.u16le(at + 4) * 2 ** 32;
}

/** Names in one node of a directory's index; the short (DOS) forms beside long names are left out. */
function readIndexEntries(
  fields: Fields,
  header: number,
  end: number,
  names: Map<string, { record: number; modified: string | null }>,
): void {
  let at = header + fields.u32le(header);
  const last = Math.min(end, header + fields.u32le(header + 4));
  while (at + 16 <= last) {
    const length = fields.u16le(at + 8);
    const keyBytes = fields.u16le(at + 10);
    if (fields.u16le(at + 12) & 2 || length < 16 || at + length > last) break;
    const nameLength = keyBytes >= 66 && at + 16 + 66 <= last ? fields.u8(at + 16 + 64) : 0;
    const isDosName = nameLength > 0 && fields.u8(at + 16 + 65) === 2;
    if (nameLength > 0 && !isDosName && 16 + 66 + nameLength * 2 <= length)
      names.set(utf16(fields.slice(at + 16 + 66, nameLength * 2)), {
        record: recordNumber(fields, at),
        modified: fileTime(fields.u64le(at + 16 + 16)),
      });
    at += length;
  }
}

const YEAR_10000_MS = Date.UTC(10_000, 0);

/** Tenths of microseconds since 1601 ([MS-DTYP] 2.3.3); null where no date. */
export function fileTime(value: bigint): string | null {
  const ms = Number(value / 10_000n) - 11_644_473_600_000;
  return value > 0n && ms < YEAR_10000_MS ? new Date(ms).toISOString() : null;
}
