"use server";

import { registerNamed, takeOver } from "@/server/images/found-images";
import { cancelScan, measureStore, startScan, takeListing } from "@/server/images/store-scans";
import { addStore, retireStore, saveStore } from "@/server/images/stores";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function addStoreAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await addStore(await currentContext(), input));
}

export async function saveStoreAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return refreshIfDone(await saveStore(await currentContext(), id, version, input));
}

export async function retireStoreAction(id: number, version: number, retired: boolean): Promise<Result<number>> {
  return refreshIfDone(await retireStore(await currentContext(), id, version, retired));
}

export async function startScanAction(storeId: number, isThorough: boolean): Promise<Result<number>> {
  return startScan(await currentContext(), storeId, isThorough);
}

export async function cancelScanAction(scanId: number): Promise<Result<boolean>> {
  return cancelScan(await currentContext(), scanId);
}

export async function measureStoreAction(storeId: number): Promise<Result<number>> {
  return refreshIfDone(await measureStore(await currentContext(), storeId));
}

export async function takeListingAction(storeId: number, text: string): Promise<Result<number>> {
  return refreshIfDone(await takeListing(await currentContext(), storeId, text));
}

export async function takeOverAction(scanId: number): Promise<Result<number>> {
  return refreshIfDone(await takeOver(await currentContext(), scanId));
}

export async function registerNamedAction(
  scanId: number,
  given: { kit: string | null; kitVersion: string | null },
): Promise<Result<{ registered: number; left: string[] }>> {
  return refreshIfDone(await registerNamed(await currentContext(), scanId, given));
}
