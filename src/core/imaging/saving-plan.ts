import type { Allocation, AllocationDoubt, AllocationReading } from "../formats/allocation";
import { merged } from "../formats/allocation";
import { isExtendedType, readLogicalPartitions, readMbr } from "../formats/mbr";
import { volumeAllocation } from "../formats/volume-allocation";
import { type ByteRange, type ByteSource, CachedSource, ReadFailed, WindowSource } from "../kernel/source";
import { readTables } from "../medium/tables/tables";
import type { SavedPartition } from "./form";

export type SectorBytes = 512 | 2048 | 4096;

/** A stretch of the disk that is saved: all of it, or what an allocation says. Places and sizes in bytes. */
interface Region extends ByteRange {
  allocation: Allocation | null;
  /** What of it is saved. */
  savedBytes: number;
}

/** What of a disk would be saved. */
export interface SavingPlan {
  diskBytes: number;
  sectorBytes: SectorBytes;
  table: "gpt" | "mbr" | "none";
  partitions: SavedPartition[];
  /** In order, none overlapping another. */
  regions: Region[];
  /** Bytes that would be read. */
  savedBytes: number;
}

/**
 * Between partitions lie tables of logical drives, boot programs and copies of tables. All of it is saved where it is
 * short; of a long empty stretch its beginning and its end, which is where these stand.
 */
const GAP_WHOLE_BYTES = 64 << 20;
const GAP_ENDS_BYTES = 2 << 20;
/** What is asked of an allocation at a time, when only the amount is counted. */
const COUNTED_AT_ONCE_BYTES = 256 << 20;
const LENIENT_STEP_BYTES = 512;

export interface SavingChoice {
  sectorBytes: SectorBytes;
  /** Numbers of the partitions that are saved; null for all. */
  partitions: readonly number[] | null;
}

/** A failing disk, of which the places that it does not give read as zeros: a table beside one is still found. */
class Lenient implements ByteSource {
  readonly sizeBytes: number;
  constructor(private readonly disk: ByteSource) {
    this.sizeBytes = disk.sizeBytes;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    try {
      return await this.disk.read(offset, length);
    } catch (error) {
      if (!(error instanceof ReadFailed)) throw error;
    }
    const out = new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
    for (let at = 0; at < out.length; at += LENIENT_STEP_BYTES) {
      const wanted = Math.min(LENIENT_STEP_BYTES, out.length - at);
      const got = await this.disk.read(offset + at, wanted).catch(() => null);
      if (got) out.set(got, at);
    }
    return out;
  }
}

/** What a file system says of its use; where the disk does not give that, it counts as damaged, and all is saved. */
async function allocationOf(volume: ByteSource): Promise<AllocationReading | null> {
  try {
    return await volumeAllocation(volume);
  } catch (error) {
    if (error instanceof ReadFailed) return { ok: false, why: "maps-damaged" };
    throw error;
  }
}

/** What of a disk would be saved, and how much that is. */
export async function planSaving(disk: ByteSource, choice: SavingChoice): Promise<SavingPlan> {
  const cached = new CachedSource(disk);
  const lenient = new CachedSource(new Lenient(disk));
  const { tables, partitions: found } = await readTables(lenient, false, choice.sectorBytes);
  // A table beside a GPT repeats its partitions; an extended partition is but a wrapping of others.
  const hasGpt = tables.some((each) => each.kind === "gpt");
  const real = found
    .filter((each) => each.table === (hasGpt ? "gpt" : "mbr"))
    .filter((each) => each.table === "gpt" || !isExtendedType(Number.parseInt(each.type, 16)))
    .filter((each) => each.length > 0 && each.start < disk.sizeBytes)
    .sort((a, b) => a.start - b.start);
  // A table that may not tell of all partitions is not gone by: then the whole disk is one.
  const own = tables.find((each) => each.kind === (hasGpt ? "gpt" : "mbr"));
  const isBelieved =
    own &&
    own.state !== "damaged" &&
    own.findings.every(({ code }) => code !== "logical-chain-broken") &&
    real.length > 0;
  const table = isBelieved ? own.kind : "none";
  const links = table === "mbr" ? await logicalTables(lenient, choice.sectorBytes) : [];
  const regions: Region[] = [];
  const partitions: SavedPartition[] = [];
  const gap = (from: number, to: number) => {
    const add = (start: number, lengthBytes: number) =>
      regions.push({ start, lengthBytes, allocation: null, savedBytes: lengthBytes });
    if (to - from <= GAP_WHOLE_BYTES) {
      if (to > from) add(from, to - from);
      return;
    }
    const end = to - GAP_ENDS_BYTES;
    add(from, GAP_ENDS_BYTES);
    for (const start of links) if (start >= from + GAP_ENDS_BYTES && start < end) add(start, choice.sectorBytes);
    add(end, GAP_ENDS_BYTES);
  };
  /** `isWhole`: it begins where the file system does, so that what that says of itself can be read. */
  const volume = async (start: number, end: number, isWhole: boolean): Promise<VolumeSaved> => {
    const lengthBytes = end - start;
    if (lengthBytes <= 0) return NOTHING;
    const reading = isWhole ? await allocationOf(new WindowSource(cached, start, lengthBytes)) : null;
    const allocation = reading?.ok ? reading.allocation : null;
    const savedBytes = allocation ? await countUsed(allocation, lengthBytes) : lengthBytes;
    regions.push({ start, lengthBytes, allocation, savedBytes });
    return { saved: allocation ? "used" : "all", doubt: reading && !reading.ok ? reading.why : null, savedBytes };
  };
  let at = 0;
  if (table === "none") await volume(0, disk.sizeBytes, true);
  for (const each of table === "none" ? [] : real) {
    // Where two overlap, what the first one has is not read twice.
    const start = Math.max(at, each.start);
    const end = Math.min(each.start + each.length, disk.sizeBytes);
    gap(at, start);
    const isChosen = choice.partitions === null || choice.partitions.includes(each.index);
    const saved = isChosen ? await volume(start, end, start === each.start) : NOTHING;
    const { index: number, type, length: bytes, filesystem, label } = each;
    partitions.push({ number, type, start: each.start, bytes, filesystem, label, ...saved });
    at = Math.max(at, end);
  }
  if (table !== "none") gap(at, disk.sizeBytes);
  const savedBytes = regions.reduce((sum, region) => sum + region.savedBytes, 0);
  return { diskBytes: disk.sizeBytes, sectorBytes: choice.sectorBytes, table, partitions, regions, savedBytes };
}

/** Where the tables of logical drives begin, in order: a chain that leads from one to the next. */
async function logicalTables(disk: ByteSource, sectorBytes: number): Promise<number[]> {
  const starts: number[] = [];
  for (const entry of (await readMbr(disk))?.entries.filter((each) => isExtendedType(each.type)) ?? [])
    for (const lba of (await readLogicalPartitions(disk, entry, sectorBytes)).tables) starts.push(lba * sectorBytes);
  return starts.sort((a, b) => a - b);
}

interface VolumeSaved {
  saved: SavedPartition["saved"];
  doubt: AllocationDoubt | null;
  savedBytes: number;
}

const NOTHING: VolumeSaved = { saved: "nothing", doubt: null, savedBytes: 0 };

async function countUsed(allocation: Allocation, lengthBytes: number): Promise<number> {
  let total = 0;
  for (let at = 0; at < lengthBytes; at += COUNTED_AT_ONCE_BYTES)
    for (const range of await allocation.rangesIn(at, Math.min(COUNTED_AT_ONCE_BYTES, lengthBytes - at)))
      total += range.lengthBytes;
  return total;
}

/** What of `[start, end)` is saved, in order. */
export async function savedRanges(plan: SavingPlan, start: number, end: number): Promise<ByteRange[]> {
  const ranges: ByteRange[] = [];
  for (const region of plan.regions) {
    const from = Math.max(start, region.start);
    const to = Math.min(end, region.start + region.lengthBytes);
    if (from >= to) continue;
    const within = region.allocation
      ? await region.allocation.rangesIn(from - region.start, to - from)
      : [{ start: from - region.start, lengthBytes: to - from }];
    for (const range of within) ranges.push({ start: region.start + range.start, lengthBytes: range.lengthBytes });
  }
  return merged(ranges);
}
