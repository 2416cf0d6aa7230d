"use server";

import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";
import { addComputer, getComputer, retireComputer, saveComputer } from "@/server/services/computers";
import { currentContext } from "../_lib/context";

/** Thin doors to the services: the context is this request's, the rest is checked inside. */
export async function addComputerAction(input: unknown): Promise<Result<number>> {
  const result = await addComputer(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function saveComputerAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  const result = await saveComputer(await currentContext(), id, version, input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function retireComputerAction(id: number, version: number, retired: boolean): Promise<Result<number>> {
  const result = await retireComputer(await currentContext(), id, version, retired);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

/** Whether a computer with this tag is recorded, and its version: for facts that are dropped. */
export async function findComputerAction(
  tag: string,
): Promise<{ id: number; version: number; name: string | null; siteId: number | null; note: string | null } | null> {
  const detail = await getComputer(await currentContext(), tag);
  if (!detail) return null;
  const { id, version, name, siteId, note } = detail.row;
  return { id, version, name, siteId, note };
}
