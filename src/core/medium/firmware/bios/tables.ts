import { decodeEntries, GPT_LEGACY_BOOTABLE } from "../../../formats/gpt";
import { decodeMbr, isExtendedType, type MbrEntry, readLogicalPartitions } from "../../../formats/mbr";
import { Fields, hasText, toSafeNumber } from "../../../kernel/fields";
import { itemAt } from "../../../kernel/item-at";
import { readExactly } from "../../../kernel/source";
import type { PlaceStep } from "../place";
import { type Drive, geometryOf, type Outcome, type Run, readSector, SECTOR_BYTES, stop } from "./machine";

/** A partition that start code hands over to. */
export interface Target {
  startSector: number;
  sectors: number;
  /** Where its start code is read from, if not from its first sector. */
  codeSector?: number;
  step: PlaceStep;
}

export type Choice = { target: Target } | { outcome: Outcome };

/** The code that wants exactly one active partition, logical ones included (Syslinux 6.04, mbr/mbr.S). */
export async function chooseOnlyActive(run: Run, drive: Drive, sector: Uint8Array): Promise<Choice> {
  const active = (await allPartitions(drive, sector)).filter((each) => (each.indicator & 0x80) !== 0);
  const { place } = drive;
  if (active.length === 0) return { outcome: stop(run, { code: "no-active-partition", place }) };
  if (active.length > 1)
    return { outcome: stop(run, { code: "several-active-partitions", place, count: active.length }) };
  return { target: itemAt(active, 0) };
}

/** The code that takes the first active primary partition. Debian's mbr: any non-zero indicator counts. */
export function chooseFirstActive(run: Run, drive: Drive, sector: Uint8Array): Choice {
  const entry = decodeMbr(sector).entries.find((each) => each.indicator !== 0);
  return entry
    ? { target: toTarget(entry) }
    : { outcome: stop(run, { code: "no-active-partition", place: drive.place }) };
}

/**
 * The first sector of Windows: the first active primary partition, where every other indicator is 0x80 or 0 and those behind
 * it are 0 ("Invalid partition table" otherwise). Common practice; Microsoft publishes its messages alone.
 */
export function chooseValidActive(run: Run, drive: Drive, sector: Uint8Array): Choice {
  const { place } = drive;
  const { entries } = decodeMbr(sector);
  const first = entries.findIndex(({ indicator }) => indicator === 0x80);
  const odd = entries.filter(({ indicator }, nth) => (nth === first ? false : indicator !== 0));
  if (odd.length > 0)
    return { outcome: stop(run, { code: "several-active-partitions", place, count: odd.length + 1 }) };
  const entry = entries[first];
  return entry ? { target: toTarget(entry) } : { outcome: stop(run, { code: "no-active-partition", place }) };
}

/**
 * GNU Parted's code: the first entry whose indicator is exactly 0x80, read by its cylinder, head and sector, which
 * need not name the sector that the entry's address names.
 */
export function chooseByChs(run: Run, drive: Drive, sector: Uint8Array): Choice {
  const entry = decodeMbr(sector).entries.find((each) => each.indicator === 0x80);
  if (!entry) return { outcome: stop(run, { code: "no-active-partition", place: drive.place }) };
  const fields = new Fields(sector);
  const at = 446 + (entry.slot - 1) * 16;
  const [head, low, high] = [fields.u8(at + 1), fields.u8(at + 2), fields.u8(at + 3)];
  const cylinder = ((low & 0xc0) << 2) | high;
  const { heads, sectorsPerTrack, cylinders } = geometryOf(sector, drive.sectors);
  if (head >= heads || cylinder >= cylinders || (low & 0x3f) === 0)
    return { outcome: stop(run, { code: "address-beyond-chs", place: drive.place }) };
  const codeSector = (cylinder * heads + head) * sectorsPerTrack + (low & 0x3f) - 1;
  return { target: { ...toTarget(entry), codeSector } };
}

/** The number of the partition stands before the table (Syslinux 6.04, mbr/altmbr.S). */
export async function chooseNumbered(run: Run, drive: Drive, sector: Uint8Array): Promise<Choice> {
  const number = itemAt(sector, 439);
  const found = (await allPartitions(drive, sector)).find((each) => each.step.number === number);
  return found ? { target: found } : { outcome: stop(run, { code: "no-active-partition", place: drive.place }) };
}

/** The code that wants one GPT entry with attribute bit 2; no CRC is checked (Syslinux 6.04, mbr/gptmbr.S). */
export async function chooseLegacyGpt(run: Run, drive: Drive): Promise<Choice> {
  const { place } = drive;
  const header = await readSector(drive, 1);
  if (!header || !hasText(header, 0, "EFI PART")) return { outcome: stop(run, { code: "gpt-missing", place }) };
  const fields = new Fields(header);
  const [count, entryBytes] = [fields.u32le(80), fields.u32le(84)];
  const start = toSafeNumber(fields.u64le(72));
  if (start === null || entryBytes < 128 || entryBytes > 4096 || count > 1024)
    return { outcome: stop(run, { code: "gpt-missing", place }) };
  const array = await readExactly(drive.source, start * SECTOR_BYTES, count * entryBytes);
  const marked = array
    ? decodeEntries(array, count, entryBytes).filter((entry) => (entry.attributes & GPT_LEGACY_BOOTABLE) !== 0n)
    : [];
  if (marked.length === 0) return { outcome: stop(run, { code: "no-legacy-start-partition", place }) };
  if (marked.length > 1)
    return { outcome: stop(run, { code: "several-legacy-start-partitions", place, count: marked.length }) };
  const entry = itemAt(marked, 0);
  return {
    target: {
      startSector: entry.startLba,
      sectors: entry.endLba - entry.startLba + 1,
      step: { kind: "gpt", number: entry.number },
    },
  };
}

async function allPartitions(drive: Drive, sector: Uint8Array): Promise<(Target & { indicator: number })[]> {
  const found: (Target & { indicator: number })[] = [];
  const { entries } = decodeMbr(sector);
  for (const entry of entries)
    if (entry.type !== 0 || entry.indicator !== 0) found.push({ ...toTarget(entry), indicator: entry.indicator });
  for (const entry of entries.filter((each) => isExtendedType(each.type))) {
    const { partitions } = await readLogicalPartitions(drive.source, entry, SECTOR_BYTES);
    for (const partition of partitions) {
      found.push({
        startSector: partition.startLba,
        sectors: partition.sectors,
        step: { kind: "logical", number: partition.number },
        indicator: partition.indicator,
      });
    }
  }
  return found;
}

function toTarget(entry: MbrEntry): Target {
  return { startSector: entry.startLba, sectors: entry.sectors, step: { kind: "mbr", number: entry.slot } };
}
