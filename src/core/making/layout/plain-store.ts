import { planExfat } from "../../formats/exfat-writing";
import {
  GPT_TYPES,
  gptPieces,
  gptSectors,
  MBR_TYPES,
  type PartitionToWrite,
} from "../../formats/partition-table-writing";
import { inOrder, shifted } from "../../formats/pieces";
import type { Seed } from "../../kernel/seed";
import { ALIGN_BYTES, alignedDown, type LaidOutResult, STORE_LEAST_BYTES, volumePart } from "./laid-out";

export interface PlainStoreOptions {
  deviceBytes: number;
  sectorBytes: 512 | 4096;
  label: string;
  seed: Seed;
  /** ISO 8601. */
  madeAt: string;
}

/** A device as nothing but a store: one exFAT partition on a fresh GPT, which every system of today reads. */
export async function layOutPlainStore(options: PlainStoreOptions): Promise<LaidOutResult> {
  const { deviceBytes, sectorBytes, label, seed, madeAt } = options;
  const sectors = Math.floor(deviceBytes / sectorBytes);
  const end = alignedDown((sectors - gptSectors(sectorBytes).end) * sectorBytes);
  const sizeBytes = end - ALIGN_BYTES;
  if (sizeBytes < STORE_LEAST_BYTES) {
    const neededBytes = STORE_LEAST_BYTES + 2 * ALIGN_BYTES;
    return { ok: false, problems: [{ code: "device-too-small", bytes: deviceBytes, neededBytes }] };
  }
  const startLba = ALIGN_BYTES / sectorBytes;
  const volume = planExfat([], { sizeBytes, sectorBytes, startLba, label, seed: seed.with("store"), madeAt });
  if (!volume.ok) return { ok: false, problems: volume.problems.map((each) => ({ ...each, part: "store" as const })) };
  const partition: PartitionToWrite = {
    ...{ startLba, sectors: sizeBytes / sectorBytes, name: "Store", active: false },
    ...{ type: GPT_TYPES.basicData, mbrType: MBR_TYPES.exfat },
  };
  const tables = await gptPieces([partition], { sectors, sectorBytes, seed });
  const pieces = inOrder([...tables, ...shifted(volume.value.pieces, ALIGN_BYTES)]);
  const part = volumePart("store", "exfat", label, ALIGN_BYTES, volume.value);
  return { ok: true, value: { layout: { sizeBytes: sectors * sectorBytes, pieces }, table: "gpt", parts: [part] } };
}
