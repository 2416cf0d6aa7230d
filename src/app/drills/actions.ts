"use server";

import { revalidatePath } from "next/cache";
import { startEmulatedDrill } from "@/server/bench/emulated-drills";
import { recordDrill } from "@/server/drills/drills";
import { planDrill, withdrawDrill } from "@/server/drills/planned-drills";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

export async function recordDrillAction(input: unknown): Promise<Result<number>> {
  const result = await recordDrill(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

/** Gives the job's id; the job goes on by itself. */
export async function startEmulatedDrillAction(input: unknown): Promise<Result<number>> {
  return startEmulatedDrill(await currentContext(), input);
}

export async function planDrillAction(input: unknown): Promise<Result<number>> {
  const result = await planDrill(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function withdrawDrillAction(id: number): Promise<Result<number>> {
  const result = await withdrawDrill(await currentContext(), id);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
