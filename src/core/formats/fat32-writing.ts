import { itemAt } from "../kernel/item-at";
import { Put } from "../kernel/put";
import type { Seed } from "../kernel/seed";
import { MemorySource } from "../kernel/source";
import { Allocation, type ClusterRun, ClusterTableSource, type Places, placed } from "./fat-table-writing";
import { dosTime } from "./fat-time";
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

/** A volume that can be written: its pieces, counted from the start of the volume, and what came of the planning. */
export interface PlannedVolume {
  sizeBytes: number;
  pieces: Piece[];
  clusterBytes: number;
  freeBytes: number;
}

export interface VolumeOptions {
  sizeBytes: number;
  sectorBytes: 512 | 4096;
  /** Sectors before the partition, as boot sectors repeat it. */
  startLba: number;
  /** At most 11 characters. */
  label: string;
  seed: Seed;
  /** ISO 8601; for folders, the label, and files whose day is not known. */
  madeAt: string;
}

/** A file is at most this long: its size has 32 bits. FAT specification 1.03, DIR_FileSize. */
/** The size of a file stands in four bytes (Microsoft FAT 1.03, 6). */
export const FAT32_FILE_MAX_BYTES = 2 ** 32 - 1;
/** FAT specification 1.03, "FAT Type Determination". */
const CLUSTERS_LEAST = 65_525;
const CLUSTERS_MOST = 0x0ffffff5;
/** Sectors have 32-bit numbers, and some readers go wrong in the last bit's half; 2 TiB with 512-byte sectors. */
const SECTORS_MOST = 2 ** 32 - 1;
const RESERVED_LEAST = 32;
const FATS = 2;
/** FAT and data begin on whole mebibytes of the volume where it is large, as flash likes it. */
const ALIGN_FROM_BYTES = 256 << 20;
const ALIGN_BYTES = 1 << 20;
const END_MARK = 0x0fffffff;
const ENTRY_BYTES = 32;
/** FAT specification 1.03, "Directory Structure": a directory has at most 2 MiB. */
const DIRECTORY_MOST_ENTRIES = 65_536;

interface Geometry {
  sectorBytes: number;
  sectors: number;
  sectorsPerCluster: number;
  reserved: number;
  fatSectors: number;
  clusters: number;
}

/** Cluster sizes by volume size: FAT specification 1.03, DskTableFAT32, and the smallest that still makes 65,525 of them. */
function sectorsPerClusterFor(sizeBytes: number, sectorBytes: number): number {
  const wanted =
    sizeBytes <= 260 << 20
      ? 512
      : sizeBytes <= 8 * 2 ** 30
        ? 4096
        : sizeBytes <= 16 * 2 ** 30
          ? 8192
          : sizeBytes <= 32 * 2 ** 30
            ? 16_384
            : 32_768;
  return Math.max(1, wanted / sectorBytes);
}

function geometryFor(sizeBytes: number, sectorBytes: number): Geometry {
  const sectors = Math.floor(sizeBytes / sectorBytes);
  const sectorsPerCluster = sectorsPerClusterFor(sizeBytes, sectorBytes);
  const alignment = sizeBytes >= ALIGN_FROM_BYTES ? ALIGN_BYTES / sectorBytes : sectorsPerCluster;
  // A table for all sectors is a little too large; each round makes it fit what is left beside it.
  let fatSectors = 0;
  let reserved = RESERVED_LEAST;
  let clusters = Math.floor((sectors - RESERVED_LEAST) / sectorsPerCluster);
  for (let round = 0; round < 8; round++) {
    fatSectors = Math.ceil(((clusters + 2) * 4) / sectorBytes);
    const head = RESERVED_LEAST + FATS * fatSectors;
    reserved = RESERVED_LEAST + (Math.ceil(head / alignment) * alignment - head);
    const fitting = Math.floor((sectors - reserved - FATS * fatSectors) / sectorsPerCluster);
    if (fitting === clusters) break;
    clusters = Math.max(0, fitting);
  }
  clusters = Math.min(clusters, Math.floor((fatSectors * sectorBytes) / 4) - 2);
  // The boot sector says no more sectors than the table has entries for: readers work out the clusters from them.
  const told = reserved + FATS * fatSectors + clusters * sectorsPerCluster;
  return { sectorBytes, sectors: Math.min(sectors, told), sectorsPerCluster, reserved, fatSectors, clusters };
}

/**
 * A FAT32 volume with some files (Microsoft FAT specification 1.03): contiguous, in the order of their names, the same
 * for the same seed. Problems instead where it cannot be.
 */
export function planFat32(files: readonly FileToWrite[], options: VolumeOptions): Planned<PlannedVolume> {
  const { sizeBytes, sectorBytes } = options;
  const { root, problems } = folderTree(files);
  const geometry = geometryFor(sizeBytes, sectorBytes);
  const { clusters, sectors, sectorsPerCluster, reserved, fatSectors } = geometry;
  const clusterBytes = sectorsPerCluster * sectorBytes;
  const found: VolumeProblem[] = [...problems];
  for (const { path, content } of files)
    if (content.sizeBytes > FAT32_FILE_MAX_BYTES)
      found.push({ code: "file-too-large", path, bytes: content.sizeBytes, mostBytes: FAT32_FILE_MAX_BYTES });
  for (const folder of foldersOf(root)) {
    const entries = entriesOf(folder);
    if (entries > DIRECTORY_MOST_ENTRIES)
      found.push({ code: "folder-too-large", path: folder.path || "/", entries, most: DIRECTORY_MOST_ENTRIES });
  }
  if (clusters < CLUSTERS_LEAST)
    found.push({ code: "too-small-for-format", bytes: sizeBytes, leastBytes: leastFat32Bytes(sectorBytes) });
  if (sectors > SECTORS_MOST || clusters > CLUSTERS_MOST)
    found.push({ code: "too-large-for-format", bytes: sizeBytes, mostBytes: SECTORS_MOST * sectorBytes });
  if (found.length > 0) return { ok: false, problems: found };

  const allocation = new Allocation(clusterBytes, 2);
  const places = placed(root, allocation, folderBytes);
  const used = allocation.free - 2;
  if (used > clusters)
    return {
      ok: false,
      problems: [{ code: "does-not-fit", neededBytes: used * clusterBytes, freeBytes: clusters * clusterBytes }],
    };
  const dataStart = (reserved + FATS * fatSectors) * sectorBytes;
  const at = (run: ClusterRun) => dataStart + (run.first - 2) * clusterBytes;
  const table = new ClusterTableSource(fatSectors * sectorBytes, allocation.runs, [0x0ffffff8, END_MARK], END_MARK);
  const pieces: Piece[] = [
    { start: 0, content: new MemorySource(reservedSectors(geometry, options, clusters - used, allocation.free)) },
    { start: reserved * sectorBytes, content: table },
    { start: (reserved + fatSectors) * sectorBytes, content: table },
  ];
  for (const folder of foldersOf(root)) {
    const run = places.folders.get(folder.path) as ClusterRun;
    const bytes = new Uint8Array(run.count * clusterBytes);
    bytes.set(directoryBytes(folder, places, options));
    pieces.push({ start: at(run), content: new MemorySource(bytes) });
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

/** The smallest volume that is FAT32 at all, a little more than 65,525 clusters of one sector. */
export function leastFat32Bytes(sectorBytes: number): number {
  return (
    (CLUSTERS_LEAST + RESERVED_LEAST + FATS * Math.ceil(((CLUSTERS_LEAST + 2) * 4) / sectorBytes) + 1) * sectorBytes
  );
}

/** What some files take on a FAT32 volume of a size, tables and folders included. */
export function fat32NeededBytes(files: readonly FileToWrite[], sizeBytes: number, sectorBytes: number): number {
  const { root } = folderTree(files);
  const { sectorsPerCluster, reserved, fatSectors } = geometryFor(sizeBytes, sectorBytes);
  const allocation = new Allocation(sectorsPerCluster * sectorBytes, 2);
  placed(root, allocation, folderBytes);
  return (reserved + FATS * fatSectors) * sectorBytes + (allocation.free - 2) * allocation.clusterBytes;
}

function folderBytes(folder: Folder): number {
  return Math.max(1, entriesOf(folder) * ENTRY_BYTES);
}

/** Entries of a folder, at least: the label or the two dots, and for each name those of its long form and its own. */
function entriesOf(folder: Folder): number {
  const names = [...folder.folders, ...folder.files].map(({ name }) => name);
  const short = shortNames(names);
  const entries = names.reduce((sum, name, at) => sum + 1 + longEntries(name, itemAt(short, at)), 0);
  return entries + (folder.path === "" ? 1 : 2);
}

function longEntries(name: string, short: string): number {
  return name === shortText(short) ? 0 : Math.ceil(name.length / 13);
}

function reservedSectors(
  { sectorBytes, sectors, sectorsPerCluster, reserved, fatSectors }: Geometry,
  { startLba, label, seed }: VolumeOptions,
  freeClusters: number,
  nextFree: number,
): Uint8Array {
  const out = new Put(new Uint8Array(reserved * sectorBytes));
  const name = labelBytes(label);
  for (const copy of [0, 6]) {
    const at = copy * sectorBytes;
    out.raw(at, Uint8Array.of(0xeb, 0x58, 0x90)).ascii(at + 3, "MSWIN4.1");
    out
      .u16le(at + 11, sectorBytes)
      .u8(at + 13, sectorsPerCluster)
      .u16le(at + 14, reserved)
      .u8(at + 16, FATS);
    out
      .u8(at + 21, 0xf8)
      .u16le(at + 24, 63)
      .u16le(at + 26, 255)
      .u32le(at + 28, startLba)
      .u32le(at + 32, sectors);
    out
      .u32le(at + 36, fatSectors)
      .u32le(at + 44, 2)
      .u16le(at + 48, 1)
      .u16le(at + 50, 6);
    out
      .u8(at + 64, 0x80)
      .u8(at + 66, 0x29)
      .u32le(at + 67, seed.u32("fat32 volume"))
      .ascii(at + 71, name);
    out
      .ascii(at + 82, "FAT32   ")
      .raw(at + 90, NO_SYSTEM_HERE)
      .u16le(at + 510, 0xaa55);
    const info = at + sectorBytes;
    out.u32le(info, 0x41615252).u32le(info + 484, 0x61417272);
    out
      .u32le(info + 488, freeClusters)
      .u32le(info + 492, nextFree)
      .u16le(info + 510, 0xaa55);
    out.u16le(info + sectorBytes + 510, 0xaa55);
  }
  return out.bytes;
}

/**
 * What a BIOS is given that is sent into this sector: it says so and waits (int 10h and 16h, then 19h). Real-mode code
 * behind the parameter block, at 0x7C5A: mov si,0x7C70; lodsb; or al,al; jz; mov ah,14; int 10h; loop; int 16h; int 19h.
 */
const NO_SYSTEM_HERE = (() => {
  const code = [
    0x31, 0xc0, 0x8e, 0xd8, 0xfc, 0xbe, 0x75, 0x7c, 0xac, 0x08, 0xc0, 0x74, 0x08, 0xb4, 0x0e, 0x31, 0xdb, 0xcd, 0x10,
    0xeb, 0xf3, 0x31, 0xc0, 0xcd, 0x16, 0xcd, 0x19,
  ];
  const text = "This medium does not start under BIOS. Press a key.\r\n";
  return Uint8Array.from([...code, ...[...text].map((letter) => letter.charCodeAt(0)), 0]);
})();

function directoryBytes(folder: Folder, places: Places, { label, madeAt }: VolumeOptions): Uint8Array {
  const items: (Folder | NamedFile)[] = [...folder.folders, ...folder.files];
  const short = shortNames(items.map(({ name }) => name));
  const entries: Uint8Array[] = [];
  if (folder.path === "") entries.push(entry(labelBytes(label), 0x08, null, 0, madeAt));
  else {
    // The root above is written as cluster 0 (FAT specification 1.03, "Directory Creation").
    const above = folder.path.slice(0, folder.path.lastIndexOf("/"));
    const parent = above === "" ? null : (places.folders.get(above) ?? null);
    entries.push(entry(".          ", 0x10, places.folders.get(folder.path) ?? null, 0, madeAt));
    entries.push(entry("..         ", 0x10, parent, 0, madeAt));
  }
  for (const [at, item] of items.entries()) {
    const shortName = itemAt(short, at);
    if (item.name !== shortText(shortName)) entries.push(...longName(item.name, shortName));
    if ("folders" in item) entries.push(entry(shortName, 0x10, places.folders.get(item.path) ?? null, 0, madeAt));
    else
      entries.push(
        entry(shortName, 0x20, places.files.get(item) ?? null, item.content.sizeBytes, item.modified ?? madeAt),
      );
  }
  const bytes = new Uint8Array(entries.length * ENTRY_BYTES);
  for (const [at, each] of entries.entries()) bytes.set(each, at * ENTRY_BYTES);
  return bytes;
}

function entry(name: string, attributes: number, run: ClusterRun | null, sizeBytes: number, at: string): Uint8Array {
  const { date, time, tenMilliseconds } = dosTime(at);
  const cluster = run?.first ?? 0;
  return new Put(new Uint8Array(ENTRY_BYTES))
    .ascii(0, name)
    .u8(11, attributes)
    .u8(13, tenMilliseconds)
    .u16le(14, time)
    .u16le(16, date)
    .u16le(18, date)
    .u16le(20, cluster >>> 16)
    .u16le(22, time)
    .u16le(24, date)
    .u16le(26, cluster & 0xffff)
    .u32le(28, sizeBytes).bytes;
}

/** "FAT Long Directory Entries": the last part first, each with the check sum of the short name. */
function longName(name: string, short: string): Uint8Array[] {
  let sum = 0;
  for (let at = 0; at < 11; at++) sum = (((sum & 1) << 7) + (sum >> 1) + short.charCodeAt(at)) & 0xff;
  const parts = Math.ceil(name.length / 13);
  return Array.from({ length: parts }, (_, back) => {
    const part = parts - 1 - back;
    const out = new Put(new Uint8Array(ENTRY_BYTES).fill(0xff));
    out
      .u8(0, (part + 1) | (back === 0 ? 0x40 : 0))
      .u8(11, 0x0f)
      .u8(12, 0)
      .u8(13, sum)
      .u16le(26, 0);
    for (let at = 0; at < 13; at++) {
      const index = part * 13 + at;
      const place = at < 5 ? 1 + at * 2 : at < 11 ? 14 + (at - 5) * 2 : 28 + (at - 11) * 2;
      if (index < name.length) out.u16le(place, name.charCodeAt(index));
      else if (index === name.length) out.u16le(place, 0);
    }
    return out.bytes;
  });
}

function labelBytes(label: string): string {
  const plain = label
    .toUpperCase()
    .replace(/[^A-Z0-9 _-]/g, "_")
    .slice(0, 11)
    .trimEnd();
  return (plain || "NO NAME").padEnd(11);
}

/** Letters that a short name may have (FAT specification 1.03, "Short Directory Entry"), of those that every code page has. */
const NOT_SHORT = /[^A-Z0-9$%'\-_@~`!(){}^#&]/g;

/** A short name of 11 characters for each name of a folder, all different ("Basis-Name Generation"). */
function shortNames(names: string[]): string[] {
  const taken = new Set<string>();
  /** The last number given to names that begin alike. */
  const numbers = new Map<string, number>();
  const found = names.map((name) => {
    const exact = exactShort(name);
    if (exact) taken.add(exact);
    return exact;
  });
  return found.map((exact, at) => {
    if (exact) return exact;
    const name = itemAt(names, at).toUpperCase();
    const dot = name.lastIndexOf(".");
    const clean = (text: string) => text.replace(/[ .]/g, "").replace(NOT_SHORT, "_");
    const base = clean(dot > 0 ? name.slice(0, dot) : name) || "_";
    const extension = clean(dot > 0 ? name.slice(dot + 1) : "")
      .slice(0, 3)
      .padEnd(3);
    const family = `${base.slice(0, 6)}.${extension}`;
    for (let number = (numbers.get(family) ?? 0) + 1; ; number++) {
      const tail = `~${number}`;
      const short = `${(base.slice(0, 8 - tail.length) + tail).padEnd(8)}${extension}`;
      if (taken.has(short)) continue;
      numbers.set(family, number);
      taken.add(short);
      return short;
    }
  });
}

/** The short form of a name that needs no long one. */
function exactShort(name: string): string | null {
  const match = /^([^.]{1,8})(?:\.([^.]{1,3}))?$/.exec(name);
  if (!match || name !== name.toUpperCase()) return null;
  const [, base = "", extension = ""] = match;
  if ((base + extension).search(NOT_SHORT) >= 0) return null;
  return base.padEnd(8) + extension.padEnd(3);
}

function shortText(short: string): string {
  const [base, extension] = [short.slice(0, 8).trimEnd(), short.slice(8).trimEnd()];
  return extension ? `${base}.${extension}` : base;
}
