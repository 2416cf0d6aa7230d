import type { z } from "zod";
import { decodeFatGeometry } from "../../formats/fat";
import { checkGptEntries, type GptHeader, gptTypeName, readGptHeader } from "../../formats/gpt";
import {
  isExtendedType,
  isProtective,
  isUsed,
  MBR_TYPE_PROTECTIVE,
  type Mbr,
  mbrTypeName,
  readLogicalPartitions,
  readMbr,
} from "../../formats/mbr";
import { recogniseVolume } from "../../formats/recognise";
import { hasText } from "../../kernel/fields";
import { type ByteSource, readExactly, WindowSource } from "../../kernel/source";
import type { Finding } from "../findings/findings";
import { firstBadEntry } from "../firmware/uefi/enumerate";
import type { Partition, tableSchema } from "./schema";

type Table = z.infer<typeof tableSchema>;

export interface TablesReading {
  tables: Table[];
  partitions: Partition[];
  /** Findings that belong to no table. */
  findings: Finding[];
}

/** What a boot sector and an MBR take, whatever the sectors of the medium are. */
const BOOT_SECTOR_BYTES = 512;
/** Partitions whose file system is looked at; a real medium has a dozen at most. */
const PARTITIONS_MAX = 128;

/**
 * The partition tables of a medium, and what their partitions hold. `hybridDisc`: it is a disc image too; `sectorBytes`:
 * of its sectors, in which tables count.
 */
export async function readTables(source: ByteSource, hybridDisc: boolean, sectorBytes = 512): Promise<TablesReading> {
  const reading: TablesReading = { tables: [], partitions: [], findings: [] };
  const mbr = await readMbr(source);
  if (!mbr) return reading;
  const gpt = await readGpt({ source, sectorBytes, hybridDisc }, mbr, reading);
  if (gpt) reading.tables.push(gpt);
  const table = await readMbrTable({ source, sectorBytes, hybridDisc }, mbr, gpt !== null, reading);
  if (table) reading.tables.push(table);
  for (const partition of reading.partitions.slice(0, PARTITIONS_MAX)) await describe(source, partition, reading);
  return reading;
}

interface Disk {
  source: ByteSource;
  sectorBytes: number;
  hybridDisc: boolean;
}

async function readGpt(disk: Disk, mbr: Mbr, reading: TablesReading): Promise<Table | null> {
  const { source, sectorBytes, hybridDisc } = disk;
  const isProtected = mbr.entries.some(isProtective);
  const lastSector = Math.floor(source.sizeBytes / sectorBytes) - 1;
  const primary = await readGptHeader(source, 1, sectorBytes);
  const backup = await readGptHeader(source, lastSector, sectorBytes);
  const facts: Finding[] = [];
  // UEFI 2.10, 5.2.3: without a protective entry the header counts for nothing, though some firmware is lenient.
  if (!isProtected) {
    if (primary.ok) facts.push({ code: "gpt-not-protected", hybridDisc });
    const other = await otherSectorSize(disk);
    if (!primary.ok && other) facts.push({ code: "gpt-other-sector-size", sectorBytes: other });
    return facts.length > 0 ? table("gpt", primary.ok && hybridDisc ? "good" : "damaged", facts) : null;
  }
  // 5.3.2: where the first header is damaged, the one in the last sector is used.
  const header = primary.ok ? primary.header : backup.ok ? backup.header : null;
  if (!header) {
    const other = await otherSectorSize(disk);
    if (other) facts.push({ code: "gpt-other-sector-size", sectorBytes: other });
    else
      facts.push({
        code: "gpt-damaged",
        primary: primary.ok ? "" : primary.fault,
        backup: backup.ok ? "" : backup.fault,
      });
    return table("gpt", "damaged", facts);
  }
  if (!primary.ok) facts.push({ code: "gpt-from-backup", fault: primary.fault });
  else if (!backup.ok) facts.push(await missingBackup(disk, primary.header, lastSector));
  const faults = checkGptEntries(header);
  for (const [number, fault] of faults)
    facts.push({ code: fault === "overlaps" ? "gpt-entry-overlaps" : "gpt-entry-outside", number });
  for (const entry of header.entries) {
    // Told above as a fault; it has no place that could be looked at.
    if (entry.endLba < entry.startLba) continue;
    reading.partitions.push({
      index: entry.number,
      table: "gpt",
      type: entry.type,
      typeName: gptTypeName(entry.type),
      start: entry.startLba * sectorBytes,
      length: (entry.endLba - entry.startLba + 1) * sectorBytes,
      filesystem: null,
      label: entry.name || null,
      active: false,
    });
  }
  return table("gpt", primary.ok ? "good" : "from-backup", facts);
}

async function missingBackup({ source, sectorBytes }: Disk, header: GptHeader, lastSector: number): Promise<Finding> {
  // Written to a larger stick, an image's copy of the header stays where the image ended: common, and harmless.
  const there =
    header.alternateLba === lastSector ? null : await readGptHeader(source, header.alternateLba, sectorBytes);
  return there?.ok
    ? { code: "gpt-backup-displaced", lastSector, found: header.alternateLba }
    : { code: "gpt-backup-missing" };
}

/** A GPT of a disk with other sectors has its header elsewhere. */
async function otherSectorSize({ source, sectorBytes }: Disk): Promise<number | null> {
  for (const other of [512, 2048, 4096].filter((bytes) => bytes !== sectorBytes)) {
    const header = await readExactly(source, other, 8);
    if (header && hasText(header, 0, "EFI PART")) return other;
  }
  return null;
}

async function readMbrTable(
  { source, sectorBytes, hybridDisc }: Disk,
  mbr: Mbr,
  besideGpt: boolean,
  reading: TablesReading,
): Promise<Table | null> {
  const used = mbr.entries.filter((entry) => isUsed(entry) && entry.type !== MBR_TYPE_PROTECTIVE);
  if (mbr.entries.filter(isUsed).length === 0) return null;
  const bad = firstBadEntry(mbr, Math.floor(source.sizeBytes / sectorBytes) - 1);
  const facts: Finding[] = [];
  if (!mbr.signed && !isPlausible(mbr, bad !== null)) return null;
  if (!mbr.signed || bad) {
    // The bytes of a volume's own boot sector read as a nonsense table: then there is none.
    const sector = await readExactly(source, 0, BOOT_SECTOR_BYTES);
    const isVolume =
      sector && (decodeFatGeometry(sector) || hasText(sector, 3, "NTFS    ") || hasText(sector, 3, "EXFAT   "));
    if (isVolume) return null;
    if (used.length === 0 && mbr.signed) return table("mbr", "good", []);
    if (!mbr.signed || !bad) facts.push({ code: "mbr-unsigned" });
    else if (bad.fault === "entry-past-end") facts.push({ code: "mbr-entry-past-end", slot: bad.slot });
    else facts.push({ code: "mbr-entries-overlap", slot: bad.slot, hybridDisc });
  }
  if (besideGpt && used.length > 0) facts.push({ code: "mbr-beside-gpt" });
  for (const entry of used) {
    reading.partitions.push(mbrPartition({ ...entry, number: entry.slot }, sectorBytes));
    if (!isExtendedType(entry.type)) continue;
    const { partitions, broken } = await readLogicalPartitions(source, entry, sectorBytes);
    if (broken) facts.push({ code: "logical-chain-broken" });
    for (const partition of partitions) reading.partitions.push(mbrPartition(partition, sectorBytes));
  }
  return table("mbr", bad || !mbr.signed ? "damaged" : "good", facts);
}

/** Whether a sector without 55 AA looks like a table that lost it, and not like any other bytes. */
function isPlausible(mbr: Mbr, isBad: boolean): boolean {
  return (
    !isBad && mbr.entries.every((entry) => (entry.indicator & 0x7f) === 0 && (entry.type === 0 || entry.startLba > 0))
  );
}

function mbrPartition(
  {
    number,
    type,
    startLba,
    sectors,
    indicator,
  }: { number: number; type: number; startLba: number; sectors: number; indicator: number },
  sectorBytes: number,
): Partition {
  return {
    index: number,
    table: "mbr",
    type: type.toString(16).padStart(2, "0"),
    typeName: mbrTypeName(type),
    start: startLba * sectorBytes,
    length: sectors * sectorBytes,
    filesystem: null,
    label: null,
    active: (indicator & 0x80) !== 0,
  };
}

async function describe(source: ByteSource, partition: Partition, reading: TablesReading): Promise<void> {
  if (partition.table === "mbr" && isExtendedType(Number.parseInt(partition.type, 16))) return;
  const window = new WindowSource(source, partition.start, partition.length);
  const volume = await recogniseVolume(window);
  partition.filesystem = volume.kind;
  partition.label = volume.label ?? partition.label;
  if (!volume.kind?.startsWith("fat")) return;
  const sector = await readExactly(window, 0, BOOT_SECTOR_BYTES);
  const geometry = sector && decodeFatGeometry(sector);
  if (!geometry) return;
  if (geometry.tooFewClusters)
    reading.findings.push({ code: "fat-too-few-clusters", index: partition.index, clusters: geometry.clusterCount });
  if (geometry.volumeBytes > partition.length) {
    reading.findings.push({
      code: "volume-exceeds-partition",
      index: partition.index,
      volumeBytes: geometry.volumeBytes,
      partitionBytes: partition.length,
    });
  }
}

function table(kind: Table["kind"], state: Table["state"], facts: Finding[]): Table {
  return { kind, state, findings: facts };
}
