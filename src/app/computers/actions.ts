"use server";

import { revalidatePath } from "next/cache";
import { type BulkPreview, bulkChange, previewBulk, type Undone, undoBatch } from "@/server/computers/bulk";
import {
  copyComputer,
  type FactsPreview,
  moveComputer,
  previewFacts,
  replaceDisk,
  setPartition,
  takeInFacts,
} from "@/server/computers/computer-acts";
import { removeView, saveView } from "@/server/computers/saved-views";
import { addComputer, retireComputer, saveComputer } from "@/server/inventory/computers";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

/** Thin doors to the services: the context is this request's, the rest is checked inside. */
function shown<T>(result: Result<T>): Result<T> {
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function addComputerAction(input: unknown): Promise<Result<number>> {
  return shown(await addComputer(await currentContext(), input));
}

export async function saveComputerAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return shown(await saveComputer(await currentContext(), id, version, input));
}

export async function retireComputerAction(id: number, version: number, retired: boolean): Promise<Result<number>> {
  return shown(await retireComputer(await currentContext(), id, version, retired));
}

export async function moveComputerAction(id: number, version: number, siteId: number | null): Promise<Result<number>> {
  return shown(await moveComputer(await currentContext(), id, version, siteId));
}

export async function replaceDiskAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return shown(await replaceDisk(await currentContext(), id, version, input));
}

export async function setPartitionAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return shown(await setPartition(await currentContext(), id, version, input));
}

export async function copyComputerAction(fromTag: string, input: unknown): Promise<Result<number>> {
  return shown(await copyComputer(await currentContext(), fromTag, input));
}

export async function previewFactsAction(input: unknown): Promise<Result<FactsPreview>> {
  return previewFacts(await currentContext(), input);
}

export async function takeInFactsAction(input: unknown, version: number | null): Promise<Result<{ tag: string }>> {
  return shown(await takeInFacts(await currentContext(), input, version));
}

export async function previewBulkAction(selection: unknown, change: unknown): Promise<Result<BulkPreview>> {
  return previewBulk(await currentContext(), selection, change);
}

export async function bulkChangeAction(
  selection: unknown,
  change: unknown,
): Promise<Result<{ batchId: number; changed: number }>> {
  return shown(await bulkChange(await currentContext(), selection, change));
}

export async function undoBatchAction(batchId: number): Promise<Result<Undone>> {
  return shown(await undoBatch(await currentContext(), batchId));
}

export async function saveViewAction(input: unknown): Promise<Result<string>> {
  return saveView(await currentContext(), input);
}

export async function removeViewAction(id: number): Promise<Result<null>> {
  return removeView(await currentContext(), id);
}
