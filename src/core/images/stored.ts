import { mbrType, roleOf, roleOfType } from "../computer/facts/roles";
import { readGptHeader } from "../formats/gpt";
import { isUsed, readMbr } from "../formats/mbr";
import { openTree } from "../formats/open-tree";
import { recogniseVolume } from "../formats/recognise";
import { readWim } from "../formats/wim";
import type { ImageManifest } from "../imaging/form";
import { imageManifestOf } from "../imaging/reading";
import { ConcatSource } from "../kernel/concat";
import { type Compression, compressionOf, decompressStream } from "../kernel/decompress";
import { itemAt } from "../kernel/item-at";
import { type ByteSource, MemorySource, WindowSource } from "../kernel/source";
import { readTables } from "../medium/tables/tables";
import type { FileGroup, GroupMember } from "./grouping";

/** A partition as a stored image has it. */
export interface StoredPartition {
  /** As the table or the file's name numbers it. */
  name: string;
  role: string | null;
  filesystem: string | null;
  label: string | null;
  lengthBytes: number | null;
  active: boolean | null;
}

/** What was read of an image's own content. */
export interface StoredReading {
  container: "disk" | "partitions" | "wim" | "unknown";
  compression: Compression | "xpress" | "lzx" | "lzms" | null;
  /** The disk that it is of; null where the container does not tell. */
  diskBytes: number | null;
  sectorBytes: 512 | 4096 | null;
  table: "gpt" | "mbr" | null;
  /** How computers start from it, by what is in it; null where that cannot be told. */
  mode: "uefi" | "bios" | null;
  partitions: StoredPartition[];
  /** What is in use, unpacked, where the container tells. */
  usedBytes: number | null;
  /** What the container says of itself: systems in an archive. */
  systems: string[];
  findings: StoredFinding[];
}

export type StoredFinding =
  | { code: "part-missing"; parts: number[] }
  | { code: "not-readable"; path: string }
  | { code: "no-decoder"; compression: Compression }
  | { code: "damaged"; path: string }
  | { code: "not-what-it-is-called"; path: string; found: string }
  | { code: "parts-of-another"; path: string }
  | { code: "unknown-content"; path: string };

/** Of a compressed image so much is unpacked to see its tables and its first file systems. */
const PREFIX_BYTES = 16 << 20;

export type OpenStoreFile = (path: string) => Promise<ByteSource | null>;

/** Reads what the files of a group hold: tables, file systems, archives. Reads little, whatever the size. */
export async function readStored(group: FileGroup, open: OpenStoreFile): Promise<StoredReading> {
  const reading: StoredReading = {
    ...{ container: "unknown", compression: null, diskBytes: null, sectorBytes: null, table: null, mode: null },
    ...{ partitions: [], usedBytes: null, systems: [], findings: [] },
  };
  if (group.missingParts.length > 0) reading.findings.push({ code: "part-missing", parts: group.missingParts });
  for (const member of group.members) await readMember(member, open, reading);
  if (reading.mode === null && reading.partitions.length > 0) {
    if (reading.partitions.some(({ role }) => role === "esp")) reading.mode = "uefi";
    else if (reading.partitions.some(({ active, role }) => active === true || role === "bios-boot"))
      reading.mode = "bios";
  }
  return reading;
}

async function readMember(member: GroupMember, open: OpenStoreFile, reading: StoredReading): Promise<void> {
  const path = member.files[0]?.path ?? "";
  const sources: ByteSource[] = [];
  // All parts or none: the beginning of a set without its middle would be read as something that it is not.
  for (const file of member.files) {
    const source = await open(file.path);
    if (!source) {
      reading.findings.push({ code: "not-readable", path: file.path });
      return;
    }
    sources.push(source);
  }
  const start = (await sources[0]?.read(0, 512)) ?? new Uint8Array(0);
  const own = sources[0] ? await imageManifestOf(sources[0]) : null;
  if (own?.ok || (own && own.fault.code !== "not-an-image")) {
    if (own.ok) Object.assign(reading, savedDisk(own.manifest));
    else reading.findings.push({ code: "damaged", path });
    return;
  }
  const wim = sources[0] && (await readWim(sources[0]));
  if (wim) {
    for (const [at, source] of sources.entries()) {
      const part = at === 0 ? wim : await readWim(source);
      // All parts of one set bear one GUID; names alone do not tell two sets apart.
      if (part?.guid !== wim.guid)
        reading.findings.push({ code: "parts-of-another", path: member.files[at]?.path ?? "" });
    }
    // A set that ends early is told by the count in its own header, whatever its names say.
    if (wim.parts > sources.length)
      reading.findings.push({
        code: "part-missing",
        parts: Array.from({ length: wim.parts - sources.length }, (_, at) => sources.length + at + 1),
      });
    reading.container = "wim";
    reading.compression = wim.compression === "none" || wim.compression === "unknown" ? null : wim.compression;
    reading.usedBytes = wim.images.reduce((sum, { bytes }) => sum + bytes, 0);
    reading.systems = wim.images.map(({ name, version }) => [name, version].filter(Boolean).join(" "));
    if (wim.faults.length > 0) reading.findings.push({ code: "damaged", path });
    return;
  }
  const whole = sources.length === 1 ? itemAt(sources, 0) : new ConcatSource(sources);
  const compression = compressionOf(start);
  // The content decides how it is read; the name is only what somebody hoped.
  if (member.compression && compression !== member.compression)
    reading.findings.push({ code: "not-what-it-is-called", path, found: compression ?? "no compression" });
  if (!compression) return readRaw(whole, whole.sizeBytes, member, reading);
  reading.compression = compression;
  const { bytes, end } = await prefixOf(compression, whole);
  if (end === "no-decoder") reading.findings.push({ code: "no-decoder", compression });
  if (end === "damaged") reading.findings.push({ code: "damaged", path });
  if (bytes.length === 0) return;
  // Unpacked to its end it is as long as it is; else only its tables can tell.
  await readRaw(new MemorySource(bytes), end === "whole" ? bytes.length : null, member, reading);
}

/** A disk that Creel saved: its manifest tells all of it. */
function savedDisk({ disk, table, partitions }: ImageManifest): Partial<StoredReading> {
  return {
    container: "disk",
    compression: "zstd",
    diskBytes: disk.bytes,
    sectorBytes: disk.sectorBytes === 4096 ? 4096 : 512,
    table: table === "none" ? null : table,
    usedBytes: partitions.reduce((sum, { savedBytes }) => sum + savedBytes, 0),
    partitions: partitions
      .filter(({ saved }) => saved !== "nothing")
      .map(({ number, type, filesystem, label, bytes }) => ({
        name: String(number),
        role: table === "gpt" ? roleOfType(type) : (roleOf({ role: null, type, filesystem }) ?? null),
        ...{ filesystem, label, lengthBytes: bytes, active: null },
      })),
  };
}

async function prefixOf(kind: Compression, source: ByteSource) {
  const pieces: Uint8Array[] = [];
  let length = 0;
  const end = await decompressStream(kind, source, 0, (piece) => {
    // Copied: decoders use their window again.
    pieces.push(piece.slice(0, PREFIX_BYTES - length));
    length += piece.length;
    return length < PREFIX_BYTES;
  });
  const bytes = new Uint8Array(Math.min(length, PREFIX_BYTES));
  let at = 0;
  for (const piece of pieces) {
    bytes.set(piece, at);
    at += piece.length;
  }
  return { bytes, end };
}

/** A disk by its table, or one file system. `sizeBytes`: null where only its beginning is here. */
async function readRaw(
  source: ByteSource,
  sizeBytes: number | null,
  { partition, files }: GroupMember,
  reading: StoredReading,
): Promise<void> {
  const path = files[0]?.path ?? "";
  const { kind, label } = await recogniseVolume(source);
  // A file system's own first sector ends as a table does: where there is one, the rest of it is no table.
  const disk = partition === null && kind === null ? await diskOf(source, sizeBytes) : null;
  if (disk) {
    reading.container = "disk";
    Object.assign(reading, disk);
    return;
  }
  if (kind === null) {
    reading.findings.push({ code: "unknown-content", path });
    return;
  }
  reading.container = "partitions";
  reading.partitions.push({
    name: partition ?? "1",
    // An image of one partition has no table that would tell its type: the folder of loaders tells.
    role: kind.startsWith("fat") && (await hasLoaders(source)) ? "esp" : null,
    filesystem: kind,
    label,
    lengthBytes: sizeBytes,
    active: null,
  });
}

/** Whether a FAT volume has the folder that UEFI looks into. */
async function hasLoaders(source: ByteSource): Promise<boolean> {
  const opened = await openTree(source);
  const root = (await opened?.tree.list(null)) ?? [];
  return root.some(({ name, directory }) => directory && name.toUpperCase() === "EFI");
}

type DiskReading = Pick<StoredReading, "diskBytes" | "sectorBytes" | "table" | "mode" | "partitions">;

async function diskOf(source: ByteSource, sizeBytes: number | null): Promise<DiskReading | null> {
  const mbr = await readMbr(source);
  if (!mbr?.entries.some(isUsed)) return null;
  for (const sectorBytes of [512, 4096] as const) {
    const gpt = await readGptHeader(source, 1, sectorBytes);
    // The header of a disk with 4,096-byte sectors stands at byte 4,096, in its own block 1.
    if (!gpt.ok) continue;
    const diskBytes = sizeBytes ?? (gpt.header.alternateLba + 1) * sectorBytes;
    const partitions = gpt.header.entries.map(
      (entry): StoredPartition => ({
        name: String(entry.number),
        role: roleOfType(entry.type),
        filesystem: null,
        label: entry.name || null,
        lengthBytes: (entry.endLba - entry.startLba + 1) * sectorBytes,
        active: null,
      }),
    );
    await recognise(
      source,
      gpt.header.entries.map(({ startLba }) => startLba * sectorBytes),
      partitions,
    );
    return { diskBytes, sectorBytes, table: "gpt", mode: modeOf(partitions), partitions };
  }
  const { partitions: read } = await readTables(source, false);
  const mbrs = read.filter(({ table }) => table === "mbr");
  const partitions = mbrs.map(
    ({ index, type, filesystem, label, length, active }): StoredPartition => ({
      name: String(index),
      role: roleOf({ role: null, type, filesystem }) ?? null,
      filesystem,
      label,
      lengthBytes: length,
      active,
    }),
  );
  // A protective entry alone is the shadow of a GPT that is not there: no table to restore.
  if (partitions.length === 0 || mbrs.every(({ type }) => mbrType(type) === 0xee)) return null;
  const isActive = partitions.some(({ active }) => active);
  return {
    diskBytes: sizeBytes,
    sectorBytes: 512,
    table: "mbr",
    mode: partitions.some(({ role }) => role === "esp") ? "uefi" : isActive ? "bios" : null,
    partitions,
  };
}

function modeOf(partitions: readonly StoredPartition[]): "uefi" | "bios" | null {
  if (partitions.some(({ role }) => role === "esp")) return "uefi";
  return partitions.some(({ role }) => role === "bios-boot") ? "bios" : null;
}

async function recognise(source: ByteSource, starts: number[], partitions: StoredPartition[]): Promise<void> {
  for (const [at, start] of starts.entries()) {
    const partition = partitions[at];
    // Of a compressed image only the beginning is here.
    if (!partition || start >= source.sizeBytes) continue;
    const volume = await recogniseVolume(new WindowSource(source, start, source.sizeBytes - start));
    partition.filesystem = volume.kind;
    partition.label = volume.label ?? partition.label;
  }
}
