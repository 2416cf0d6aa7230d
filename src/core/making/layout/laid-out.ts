import { planExfat } from "../../formats/exfat-writing";
import { fat32NeededBytes, leastFat32Bytes, type PlannedVolume, planFat32 } from "../../formats/fat32-writing";
import {
  GPT_TYPES,
  gptPieces,
  gptSectors,
  MBR_SECTORS_MOST,
  MBR_TYPES,
  mbrSector,
  type PartitionToWrite,
} from "../../formats/partition-table-writing";
import { inOrder, type Layout, type Piece, shifted } from "../../formats/pieces";
import type { FileToWrite, VolumeProblem } from "../../formats/tree-writing";
import { itemAt } from "../../kernel/item-at";
import type { Seed } from "../../kernel/seed";
import { MemorySource } from "../../kernel/source";
import { type BiosStart, placedBiosStart } from "./bios-start";

export type TableKind = "gpt" | "mbr";

/** A part of a medium that is laid out, in the order in which they lie on it. */
export interface LaidPart {
  role: "bios-start" | "start" | "load" | "store";
  filesystem: "fat32" | "exfat" | null;
  label: string | null;
  startBytes: number;
  lengthBytes: number;
  /** What files can still be put there. */
  freeBytes: number;
}

export interface LaidOut {
  layout: Layout;
  table: TableKind;
  parts: LaidPart[];
}

export interface LayOutOptions {
  deviceBytes: number;
  sectorBytes: 512 | 4096;
  table: TableKind;
  /** What computers start from. */
  start: {
    label: string;
    files: readonly FileToWrite[];
    /** The partition's size; as large as its files want where there is a store, else all that is left. */
    bytes?: number;
  };
  /** More that computers start from, a FAT32 partition each, behind the first: firmware takes the first that suits it. */
  beside?: readonly { label: string; files: readonly FileToWrite[] }[];
  /** What the rest is for; null: nothing. */
  store: { label: string; files: readonly FileToWrite[] } | null;
  /** What a BIOS runs; null: the medium starts under UEFI alone. */
  bios: BiosStart | null;
  seed: Seed;
  madeAt: string;
}

export type LayoutProblem =
  | (VolumeProblem & { part: LaidPart["role"] })
  | { code: "device-too-small"; bytes: number; neededBytes: number }
  | { code: "table-too-small"; bytes: number; mostBytes: number }
  | { code: "bios-start-too-large"; bytes: number; mostBytes: number };

export type LaidOutResult = { ok: true; value: LaidOut } | { ok: false; problems: LayoutProblem[] };

/** Partitions begin on whole mebibytes. */
export const ALIGN_BYTES = 1 << 20;
/** Room in the start partition beyond its files, for what is added later: a newer loader, a run sheet. */
const SPARE_SHARE = 0.05;
const SPARE_LEAST_BYTES = 8 << 20;
/** A store smaller than this is not worth a partition. */
export const STORE_LEAST_BYTES = 64 << 20;

/** A FAT32 partition as it will lie. */
interface StartPart {
  role: "start" | "load";
  label: string;
  files: readonly FileToWrite[];
  startBytes: number;
  sizeBytes: number;
}

/**
 * Files on a fresh table: a FAT32 partition that computers start from, more of them where several are asked for, and,
 * where that is asked for, an exFAT store behind them.
 */
export async function layOut(options: LayOutOptions): Promise<LaidOutResult> {
  const { deviceBytes, sectorBytes, table, start, beside = [], store, bios, seed, madeAt } = options;
  const sectors = Math.floor(deviceBytes / sectorBytes);
  const end = sectors - (table === "gpt" ? gptSectors(sectorBytes).end : 0);
  if (table === "mbr" && sectors > MBR_SECTORS_MOST)
    return refused({ code: "table-too-small", bytes: deviceBytes, mostBytes: MBR_SECTORS_MOST * sectorBytes });
  const firstLba = ALIGN_BYTES / sectorBytes;
  const coreLba = table === "gpt" ? Math.ceil(gptSectors(sectorBytes).front / 8) * 8 : 1;
  const coreRoom = (firstLba - coreLba) * sectorBytes;
  if (bios && bios.core.length > coreRoom)
    return refused({ code: "bios-start-too-large", bytes: bios.core.length, mostBytes: coreRoom });

  const alignedEnd = alignedDown(end * sectorBytes);
  const available = alignedEnd - ALIGN_BYTES;
  const others = beside.map(({ files }) => startBytesFor(files, available, sectorBytes));
  const othersBytes = others.reduce((sum, bytes) => sum + bytes, 0);
  const free = available - othersBytes;
  const wanted = start.bytes ?? (store ? startBytesFor(start.files, free, sectorBytes) : free);
  const leastBytes = alignedUp(leastFat32Bytes(sectorBytes));
  const startBytes = Math.min(Math.max(alignedUp(wanted), leastBytes), free);
  const storeBytes = free - startBytes;
  if (free < leastBytes || (store && storeBytes < STORE_LEAST_BYTES))
    return refused({
      code: "device-too-small",
      bytes: deviceBytes,
      neededBytes:
        ALIGN_BYTES * 3 + othersBytes + Math.max(alignedUp(wanted), leastBytes) + (store ? STORE_LEAST_BYTES : 0),
    });

  const startParts: StartPart[] = [{ role: "start", ...start, startBytes: ALIGN_BYTES, sizeBytes: startBytes }];
  let nextBytes = ALIGN_BYTES + startBytes;
  for (const [nth, { label, files }] of beside.entries()) {
    const sizeBytes = itemAt(others, nth);
    startParts.push({ role: "load", label, files, startBytes: nextBytes, sizeBytes });
    nextBytes += sizeBytes;
  }
  const startPlans = startParts.map(({ label, files, startBytes: from, sizeBytes }, nth) =>
    planFat32(files, {
      ...{ sizeBytes, sectorBytes, startLba: from / sectorBytes, label, madeAt },
      seed: seed.with(nth === 0 ? "start" : `start ${nth + 1}`),
    }),
  );
  const storeLba = nextBytes / sectorBytes;
  const storePlan = store
    ? planExfat(store.files, {
        sizeBytes: storeBytes,
        sectorBytes,
        startLba: storeLba,
        label: store.label,
        seed: seed.with("store"),
        madeAt,
      })
    : null;
  const problems = [
    ...startPlans.flatMap((plan, nth) => {
      const { role: part } = itemAt(startParts, nth);
      return plan.ok ? [] : plan.problems.map((each) => ({ ...each, part }));
    }),
    ...(!storePlan || storePlan.ok ? [] : storePlan.problems.map((each) => ({ ...each, part: "store" as const }))),
  ];
  const volumes = startPlans.flatMap((plan) => (plan.ok ? [plan.value] : []));
  if (problems.length > 0 || (storePlan && !storePlan.ok)) return { ok: false, problems };

  const partitions = startParts.map(
    ({ startBytes: from, sizeBytes }, nth): PartitionToWrite => ({
      startLba: from / sectorBytes,
      sectors: sizeBytes / sectorBytes,
      // Firmware looks for the fixed path on any FAT volume of a removable medium; systems leave this type alone.
      type: GPT_TYPES.efiSystem,
      mbrType: MBR_TYPES.fat32,
      name: nth === 0 ? "Start" : `Start ${nth + 1}`,
      active: nth === 0,
    }),
  );
  if (storePlan)
    partitions.push({
      startLba: storeLba,
      sectors: storeBytes / sectorBytes,
      type: GPT_TYPES.basicData,
      mbrType: MBR_TYPES.exfat,
      name: "Store",
      active: false,
    });
  const biosPart: PartitionToWrite = {
    startLba: coreLba,
    sectors: firstLba - coreLba,
    type: GPT_TYPES.biosBoot,
    mbrType: 0,
    name: "BIOS start",
    active: false,
  };
  const placed = bios && placedBiosStart(bios, coreLba);
  const disk = { sectors, sectorBytes, seed, ...(placed ? { startCode: placed.startCode } : {}) };
  const tables =
    table === "gpt"
      ? await gptPieces(bios ? [...partitions, biosPart] : partitions, disk)
      : [{ start: 0, content: new MemorySource(mbrSector(partitions, { ...disk, signature: seed.u32("mbr") })) }];
  const pieces: Piece[] = [
    ...tables,
    ...(placed ? [{ start: coreLba * sectorBytes, content: new MemorySource(placed.core) }] : []),
    ...startParts.flatMap(({ startBytes: from }, nth) => shifted(itemAt(volumes, nth).pieces, from)),
    ...(storePlan ? shifted(storePlan.value.pieces, storeLba * sectorBytes) : []),
  ];
  // What a table of another kind left behind would be found: by GPT readers at the end, by others between.
  const stale = table === "mbr" ? await staleGpt(sectors, sectorBytes, placed ? placed.core.length : 0) : [];
  const parts: LaidPart[] = [
    ...(bios ? [partOf("bios-start", null, null, coreLba * sectorBytes, coreRoom, 0)] : []),
    ...startParts.map(({ role, label, startBytes: from }, nth) =>
      volumePart(role, "fat32", label, from, itemAt(volumes, nth)),
    ),
    ...(store && storePlan ? [volumePart("store", "exfat", store.label, storeLba * sectorBytes, storePlan.value)] : []),
  ];
  return {
    ok: true,
    value: { layout: { sizeBytes: sectors * sectorBytes, pieces: inOrder([...pieces, ...stale]) }, table, parts },
  };
}

function refused(problem: LayoutProblem): LaidOutResult {
  return { ok: false, problems: [problem] };
}

/** Zeros where a GPT's headers would be, so that none from before is taken for this medium's. */
async function staleGpt(sectors: number, sectorBytes: number, coreBytes: number): Promise<Piece[]> {
  const { front, end } = gptSectors(sectorBytes);
  const zeros = (lba: number, count: number): Piece => ({
    start: lba * sectorBytes,
    content: new MemorySource(new Uint8Array(count * sectorBytes)),
  });
  const coreSectors = Math.ceil(coreBytes / sectorBytes);
  const from = 1 + coreSectors;
  return [...(from < front ? [zeros(from, front - from)] : []), zeros(sectors - end, end)];
}

/** What the start partition takes for its files with some room to spare; at most what there is. */
function startBytesFor(files: readonly FileToWrite[], availableBytes: number, sectorBytes: number): number {
  let bytes = alignedUp(leastFat32Bytes(sectorBytes));
  // Larger volumes have larger clusters and tables: the need is asked for again until it is met.
  for (let round = 0; round < 12; round++) {
    const needed = fat32NeededBytes(files, bytes, sectorBytes);
    const withSpare = alignedUp(needed + Math.max(SPARE_LEAST_BYTES, needed * SPARE_SHARE));
    if (withSpare <= bytes || bytes >= availableBytes) break;
    bytes = withSpare;
  }
  return Math.min(bytes, availableBytes);
}

export function volumePart(
  role: "start" | "load" | "store",
  filesystem: "fat32" | "exfat",
  label: string,
  startBytes: number,
  { sizeBytes, freeBytes }: PlannedVolume,
): LaidPart {
  return partOf(role, filesystem, label, startBytes, sizeBytes, freeBytes);
}

function partOf(
  role: LaidPart["role"],
  filesystem: LaidPart["filesystem"],
  label: string | null,
  startBytes: number,
  lengthBytes: number,
  freeBytes: number,
): LaidPart {
  return { role, filesystem, label, startBytes, lengthBytes, freeBytes };
}

function alignedUp(bytes: number): number {
  return Math.ceil(bytes / ALIGN_BYTES) * ALIGN_BYTES;
}

export function alignedDown(bytes: number): number {
  return Math.floor(bytes / ALIGN_BYTES) * ALIGN_BYTES;
}
