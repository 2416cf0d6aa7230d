import { Put } from "../kernel/put";
import { MemorySource } from "../kernel/source";
import { Allocation, type ClusterRun, ClusterTableSource, type Places, placed } from "./fat-table-writing";
import { dosTime } from "./fat-time";
import type { PlannedVolume, VolumeOptions } from "./fat32-writing";
import { inOrder, type Piece } from "./pieces";
import {
  type FileToWrite,
  type Folder,
  foldersOf,
  folderTree,
  type NamedFile,
  type Planned,
  type VolumeProblem,
} from "./tree-writing";

/** exFAT after the Microsoft exFAT file system specification 1.00 (2019), named in each place as "spec". */
const ENTRY_BYTES = 32;
const END_MARK = 0xffffffff;
/** Spec 3.1.5: at least 2^20 bytes. */
const LEAST_BYTES = 1 << 20;
/** Spec 3.1.9 has 2^32 - 11 clusters at most. */
const CLUSTERS_MOST = 2 ** 32 - 11;
const ALIGN_FROM_BYTES = 256 << 20;
const ALIGN_BYTES = 1 << 20;
/** Spec 7.4: a directory has at most 256 MiB. */
const DIRECTORY_MOST_ENTRIES = (256 << 20) / ENTRY_BYTES;
const BOOT_SECTORS = 12;

/** Cluster sizes by volume size, as formatting tools have them. Common practice. */
function clusterBytesFor(sizeBytes: number): number {
  if (sizeBytes <= 256 << 20) return 4096;
  return sizeBytes <= 32 * 2 ** 30 ? 32_768 : 131_072;
}

interface Geometry {
  sectorBytes: number;
  sectors: number;
  clusterBytes: number;
  fatSector: number;
  fatSectors: number;
  heapSector: number;
  clusters: number;
}

function geometryFor(sizeBytes: number, sectorBytes: number): Geometry {
  const sectors = Math.floor(sizeBytes / sectorBytes);
  const clusterBytes = Math.max(clusterBytesFor(sizeBytes), sectorBytes);
  const clusterSectors = clusterBytes / sectorBytes;
  const alignment = sizeBytes >= ALIGN_FROM_BYTES ? ALIGN_BYTES / sectorBytes : clusterSectors;
  const fatSector = Math.ceil((2 * BOOT_SECTORS) / alignment) * alignment;
  // The table is made for as many clusters as would be there without it: a little too large never hurts.
  const most = Math.max(0, Math.floor((sectors - fatSector) / clusterSectors));
  const fatSectors = Math.ceil(((most + 2) * 4) / sectorBytes);
  const heapSector = Math.ceil((fatSector + fatSectors) / alignment) * alignment;
  const clusters = Math.max(0, Math.floor((sectors - heapSector) / clusterSectors));
  return { sectorBytes, sectors, clusterBytes, fatSector, fatSectors, heapSector, clusters };
}

/** An exFAT volume with some files: contiguous, in the order of their names, the same for the same seed. */
export function planExfat(files: readonly FileToWrite[], options: VolumeOptions): Planned<PlannedVolume> {
  const { sizeBytes, sectorBytes } = options;
  const { root, problems } = folderTree(files);
  const geometry = geometryFor(sizeBytes, sectorBytes);
  const { clusterBytes, clusters, fatSector, fatSectors, heapSector } = geometry;
  const found: VolumeProblem[] = [...problems];
  for (const folder of foldersOf(root)) {
    const entries = entriesOf(folder);
    if (entries > DIRECTORY_MOST_ENTRIES)
      found.push({ code: "folder-too-large", path: folder.path || "/", entries, most: DIRECTORY_MOST_ENTRIES });
  }
  if (sizeBytes < LEAST_BYTES || clusters < 8)
    found.push({ code: "too-small-for-format", bytes: sizeBytes, leastBytes: 2 * LEAST_BYTES });
  if (clusters > CLUSTERS_MOST)
    found.push({ code: "too-large-for-format", bytes: sizeBytes, mostBytes: CLUSTERS_MOST * clusterBytes });
  if (found.length > 0) return { ok: false, problems: found };

  const allocation = new Allocation(clusterBytes, 2);
  const bitmap = allocation.take(Math.ceil(clusters / 8)) as ClusterRun;
  const upcase = allocation.take(UPCASE.length) as ClusterRun;
  const places = placed(root, allocation, folderBytes);
  const used = allocation.free - 2;
  if (used > clusters)
    return {
      ok: false,
      problems: [{ code: "does-not-fit", neededBytes: used * clusterBytes, freeBytes: clusters * clusterBytes }],
    };
  const rootRun = places.folders.get("") as ClusterRun;
  const at = (run: ClusterRun) => heapSector * sectorBytes + (run.first - 2) * clusterBytes;
  // Files and folders say themselves that their clusters follow each other; only these three are linked.
  const table = new ClusterTableSource(
    fatSectors * sectorBytes,
    [bitmap, upcase, rootRun],
    [0xfffffff8, END_MARK],
    END_MARK,
  );
  const boot = bootRegion(geometry, options, rootRun.first, Math.floor((used / clusters) * 100));
  const pieces: Piece[] = [
    { start: 0, content: new MemorySource(boot) },
    { start: boot.length, content: new MemorySource(boot) },
    { start: fatSector * sectorBytes, content: table },
    { start: at(bitmap), content: new MemorySource(bitmapBytes(clusters, used, bitmap.count * clusterBytes)) },
    { start: at(upcase), content: new MemorySource(padded(UPCASE, upcase.count * clusterBytes)) },
  ];
  for (const folder of foldersOf(root)) {
    const run = places.folders.get(folder.path) as ClusterRun;
    const head = folder.path === "" ? systemEntries(clusters, bitmap, upcase, options) : [];
    const bytes = joined([...head, ...entrySets(folder, places, clusterBytes, options)]);
    pieces.push({ start: at(run), content: new MemorySource(padded(bytes, run.count * clusterBytes)) });
    for (const file of folder.files) {
      const run = places.files.get(file);
      if (run) pieces.push({ start: at(run), content: file.content });
    }
  }
  return {
    ok: true,
    value: { sizeBytes, pieces: inOrder(pieces), clusterBytes, freeBytes: (clusters - used) * clusterBytes },
  };
}

/** What some files take on an exFAT volume of a size, tables and folders included. */
export function exfatNeededBytes(files: readonly FileToWrite[], sizeBytes: number, sectorBytes: number): number {
  const { root } = folderTree(files);
  const { clusterBytes, clusters, heapSector } = geometryFor(sizeBytes, sectorBytes);
  const allocation = new Allocation(clusterBytes, 2);
  allocation.take(Math.ceil(clusters / 8));
  allocation.take(UPCASE.length);
  placed(root, allocation, folderBytes);
  return heapSector * sectorBytes + (allocation.free - 2) * clusterBytes;
}

function folderBytes(folder: Folder): number {
  return Math.max(1, entriesOf(folder) * ENTRY_BYTES);
}

/** Label, bitmap and up-case table in the root; two entries and one for each 15 letters for each name. */
function entriesOf(folder: Folder): number {
  const names = [...folder.folders, ...folder.files].map(({ name }) => name);
  return names.reduce((sum, name) => sum + 2 + Math.ceil(name.length / 15), folder.path === "" ? 3 : 0);
}

/** Spec 3: main boot sector, extended boot sectors, two that are not used, and the check sum of them all. */
function bootRegion(
  geometry: Geometry,
  { startLba, seed }: VolumeOptions,
  rootCluster: number,
  percent: number,
): Uint8Array {
  const { sectorBytes, sectors, clusterBytes, fatSector, fatSectors, heapSector, clusters } = geometry;
  const out = new Put(new Uint8Array(BOOT_SECTORS * sectorBytes));
  out.raw(0, Uint8Array.of(0xeb, 0x76, 0x90)).ascii(3, "EXFAT   ");
  out.u64le(64, startLba).u64le(72, sectors).u32le(80, fatSector).u32le(84, fatSectors).u32le(88, heapSector);
  out.u32le(92, clusters).u32le(96, rootCluster).u32le(100, seed.u32("exfat volume")).u16le(104, 0x0100);
  out
    .u8(108, Math.log2(sectorBytes))
    .u8(109, Math.log2(clusterBytes / sectorBytes))
    .u8(110, 1)
    .u8(111, 0x80);
  out.u8(112, percent).bytes.fill(0xf4, 120, 510);
  out.u16le(510, 0xaa55);
  for (let sector = 1; sector <= 8; sector++) out.u32le((sector + 1) * sectorBytes - 4, 0xaa550000);
  const sum = checkSum32(out.bytes.subarray(0, 11 * sectorBytes), [106, 107, 112]);
  for (let at = 11 * sectorBytes; at < 12 * sectorBytes; at += 4) out.u32le(at, sum);
  return out.bytes;
}

/** Spec figures 1 and 3: each byte added to the sum, turned right by one. `skip`: bytes that do not count. */
function checkSum32(bytes: Uint8Array, skip: number[] = []): number {
  let sum = 0;
  for (let at = 0; at < bytes.length; at++)
    if (!skip.includes(at)) sum = ((sum << 31) | (sum >>> 1)) + (bytes[at] ?? 0);
  return sum >>> 0;
}

function bitmapBytes(clusters: number, used: number, length: number): Uint8Array {
  const bytes = new Uint8Array(length);
  bytes.fill(0xff, 0, used >> 3);
  if (used & 7) bytes[used >> 3] = (1 << (used & 7)) - 1;
  return bytes.subarray(0, Math.max(length, Math.ceil(clusters / 8)));
}

/** Spec 7.1 to 7.3. */
function systemEntries(
  clusters: number,
  bitmap: ClusterRun,
  upcase: ClusterRun,
  { label }: VolumeOptions,
): Uint8Array[] {
  const name = label.replace(/["*/:<>?\\|]/g, "_").slice(0, 11);
  const entry = () => new Put(new Uint8Array(ENTRY_BYTES));
  return [
    entry().u8(0, 0x83).u8(1, name.length).utf16le(2, name).bytes,
    entry()
      .u8(0, 0x81)
      .u32le(20, bitmap.first)
      .u64le(24, Math.ceil(clusters / 8)).bytes,
    entry().u8(0, 0x82).u32le(4, checkSum32(UPCASE)).u32le(20, upcase.first).u64le(24, UPCASE.length).bytes,
  ];
}

/** Spec 6.3 and 7.4 to 7.7: file, stream extension and name entries of everything in a folder. */
function entrySets(folder: Folder, places: Places, clusterBytes: number, { madeAt }: VolumeOptions): Uint8Array[] {
  const items: (Folder | NamedFile)[] = [...folder.folders, ...folder.files];
  return items.map((item) => {
    const isFolder = "folders" in item;
    const run = isFolder ? places.folders.get(item.path) : places.files.get(item);
    const bytes = isFolder ? (run as ClusterRun).count * clusterBytes : item.content.sizeBytes;
    const at = isFolder ? madeAt : (item.modified ?? madeAt);
    return entrySet(item.name, isFolder ? 0x10 : 0x20, run?.first ?? 0, bytes, at);
  });
}

function entrySet(name: string, attributes: number, first: number, bytes: number, at: string): Uint8Array {
  const names = Math.ceil(name.length / 15);
  const out = new Put(new Uint8Array((2 + names) * ENTRY_BYTES));
  const { date, time, tenMilliseconds } = dosTime(at);
  out
    .u8(0, 0x85)
    .u8(1, 1 + names)
    .u16le(4, attributes);
  for (const field of [8, 12, 16]) out.u16le(field, time).u16le(field + 2, date);
  // Spec 7.4.10: the offset from UTC is known to be none.
  out.u8(20, tenMilliseconds).u8(21, tenMilliseconds).u8(22, 0x80).u8(23, 0x80).u8(24, 0x80);
  // Spec 6.3.4: allocation is possible; NoFatChain only where something is allocated.
  out
    .u8(32, 0xc0)
    .u8(33, first > 0 ? 0x03 : 0x01)
    .u8(35, name.length)
    .u16le(36, nameHash(name));
  out.u64le(40, bytes).u32le(52, first).u64le(56, bytes);
  for (let part = 0; part < names; part++)
    out.u8((2 + part) * ENTRY_BYTES, 0xc1).utf16le((2 + part) * ENTRY_BYTES + 2, name.slice(part * 15, part * 15 + 15));
  out.u16le(2, checkSum16(out.bytes, true));
  return out.bytes;
}

/** Spec figures 2 and 4, in 16 bits. In an entry set its own field does not count. */
function checkSum16(bytes: Uint8Array, isEntrySet: boolean): number {
  let sum = 0;
  for (let at = 0; at < bytes.length; at++) {
    if (isEntrySet && (at === 2 || at === 3)) continue;
    sum = (((sum << 15) | (sum >>> 1)) + (bytes[at] ?? 0)) & 0xffff;
  }
  return sum;
}

function nameHash(name: string): number {
  const upper = new Put(new Uint8Array(name.length * 2));
  for (let at = 0; at < name.length; at++) upper.u16le(at * 2, upperOf(name.charCodeAt(at)));
  return checkSum16(upper.bytes, false);
}

/**
 * Letters that have a capital of one code unit: Latin up to here, Greek, Cyrillic and Armenian, whose pairs no version of
 * Unicode since 3.0 has changed, so that volumes are the same whatever makes them. Spec 7.2.5 asks for the first 128 alone.
 */
const CAPITALS_BELOW = 0x0180;
const MORE_CAPITALS: [number, number][] = [
  [0x03ac, 0x03ce],
  [0x0430, 0x045f],
  [0x0561, 0x0586],
];

function upperOf(unit: number): number {
  const hasCapital = unit < CAPITALS_BELOW || MORE_CAPITALS.some(([from, to]) => unit >= from && unit <= to);
  if (!hasCapital) return unit;
  const upper = String.fromCharCode(unit).toUpperCase();
  const code = upper.charCodeAt(0);
  // Letters whose capital is in another block, such as the dotless i, keep to themselves.
  const isNear = unit < 0x80 ? code < 0x80 : code >= 0x80 && (unit >= CAPITALS_BELOW || code < CAPITALS_BELOW);
  return upper.length === 1 && isNear ? code : unit;
}

/** Spec 7.2.5: the table, with runs that map to themselves as FFFFh and their length. */
const UPCASE = (() => {
  const words: number[] = [];
  for (let unit = 0; unit < 0x10000; ) {
    let end = unit;
    while (end < 0x10000 && upperOf(end) === end) end++;
    // The first 128 are written out, and a run of one or two is no shorter than itself.
    if (end - unit > 2 && unit >= 128) {
      words.push(0xffff, Math.min(end - unit, 0xffff));
      unit += Math.min(end - unit, 0xffff);
    } else words.push(upperOf(unit++));
  }
  const out = new Put(new Uint8Array(words.length * 2));
  for (const [at, word] of words.entries()) out.u16le(at * 2, word);
  return out.bytes;
})();

function joined(parts: Uint8Array[]): Uint8Array {
  const bytes = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    bytes.set(part, at);
    at += part.length;
  }
  return bytes;
}

function padded(bytes: Uint8Array, length: number): Uint8Array {
  const out = new Uint8Array(length);
  out.set(bytes);
  return out;
}
