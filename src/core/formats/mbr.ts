import { Fields } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";

/** One slot of a master boot record. UEFI 2.10, 5.2.1, table 5.1. */
export interface MbrEntry {
  /** 1 to 4. */
  slot: number;
  /** The boot indicator as it stands; 0x80 is active, 0x00 is not, anything else is odd. */
  indicator: number;
  type: number;
  startLba: number;
  sectors: number;
}

export interface Mbr {
  /** The sector ends in 55 AA. */
  signed: boolean;
  /** All four slots, also empty ones. */
  entries: MbrEntry[];
}

export const MBR_TYPE_PROTECTIVE = 0xee;
export const MBR_TYPE_EFI_SYSTEM = 0xef;

/** Whether an MBR type byte stands for an extended partition, whose first sector heads a chain of tables. */
export function isExtendedType(type: number): boolean {
  return type === 0x05 || type === 0x0f || type === 0x85;
}

/** Whether a slot describes a partition at all. */
export function isUsed(entry: MbrEntry): boolean {
  return entry.type !== 0 && entry.sectors !== 0;
}

/** The entry that marks a disk as one with a GPT: type 0xEE from sector 1. UEFI 2.10, 5.2.3. */
export function isProtective(entry: MbrEntry): boolean {
  return entry.type === MBR_TYPE_PROTECTIVE && entry.startLba === 1;
}

/** Reads the table out of a sector of at least 512 bytes. */
export function decodeMbr(sector: Uint8Array): Mbr {
  const fields = new Fields(sector);
  const entries = [0, 1, 2, 3].map((index) => {
    const at = 446 + index * 16;
    return {
      slot: index + 1,
      indicator: fields.u8(at),
      type: fields.u8(at + 4),
      startLba: fields.u32le(at + 8),
      sectors: fields.u32le(at + 12),
    };
  });
  return { signed: fields.u16le(510) === 0xaa55, entries };
}

/** The table in sector 0; null where the source is shorter than a sector. */
export async function readMbr(source: ByteSource): Promise<Mbr | null> {
  const sector = await readExactly(source, 0, 512);
  return sector ? decodeMbr(sector) : null;
}

export interface LogicalPartition {
  /** 5 and up, the trade's numbering. */
  number: number;
  indicator: number;
  type: number;
  /** Absolute, from the start of the medium. */
  startLba: number;
  sectors: number;
}

/** A chain of extended tables longer than this is taken for damage. */
const LOGICAL_MAX = 128;

/**
 * The logical partitions behind an extended entry, in chain order. Each table holds the partition relative to
 * itself and the next table relative to the extended partition (common practice; UEFI 2.10 leaves it out).
 * `broken` says that the chain left the medium, came back to a table already seen, or did not end; `tables` are the
 * sectors of the tables.
 */
export async function readLogicalPartitions(
  source: ByteSource,
  extended: { startLba: number; sectors: number },
  sectorBytes: number,
): Promise<{ partitions: LogicalPartition[]; broken: boolean; tables: number[] }> {
  const partitions: LogicalPartition[] = [];
  const seen = new Set<number>();
  const end = (broken: boolean) => ({ partitions, broken, tables: [...seen] });
  let tableLba = extended.startLba;
  while (partitions.length < LOGICAL_MAX) {
    if (seen.has(tableLba)) return end(true);
    seen.add(tableLba);
    const sector = await readExactly(source, tableLba * sectorBytes, 512);
    if (!sector) return end(true);
    const table = decodeMbr(sector);
    if (!table.signed) return end(partitions.length > 0 || seen.size > 1);
    const [own, next] = table.entries as [MbrEntry, MbrEntry];
    if (isUsed(own) && !isExtendedType(own.type)) {
      partitions.push({
        number: 5 + partitions.length,
        indicator: own.indicator,
        type: own.type,
        startLba: tableLba + own.startLba,
        sectors: own.sectors,
      });
    }
    if (!isUsed(next) || !isExtendedType(next.type)) return end(false);
    tableLba = extended.startLba + next.startLba;
  }
  return end(true);
}

/** The trade's names of MBR type bytes that rescue media and the disks beside them carry (common practice). */
const TYPE_NAMES: Record<number, string> = {
  1: "FAT12",
  4: "FAT16 (small)",
  5: "extended",
  6: "FAT16",
  7: "NTFS or exFAT",
  11: "FAT32",
  12: "FAT32 (LBA)",
  14: "FAT16 (LBA)",
  15: "extended (LBA)",
  23: "hidden NTFS",
  39: "hidden recovery",
  130: "Linux swap",
  131: "Linux",
  142: "Linux LVM",
  205: "ISO 9660",
  238: "GPT protective",
  239: "EFI system",
};

/**
 * A partition type's usual name by its byte. Common practice: no body assigns them; 0xEE and 0xEF: UEFI 2.10, 5.2.2.
 */
export function mbrTypeName(type: number): string {
  return TYPE_NAMES[type] ?? `type 0x${type.toString(16).padStart(2, "0")}`;
}
