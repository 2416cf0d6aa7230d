"use server";

import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";
import { recordDrill } from "@/server/services/drills";
import { holdEmulatedDrill } from "@/server/services/emulated-drills";
import { planDrill, withdrawDrill } from "@/server/services/planned-drills";
import { currentContext } from "../_lib/context";

export async function recordDrillAction(input: unknown): Promise<Result<number>> {
  const result = await recordDrill(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

/** Takes up to some minutes. */
export async function holdEmulatedDrillAction(
  medium: string,
  computer: string,
  isSecureBootOff: boolean,
): Promise<Result<number>> {
  const result = await holdEmulatedDrill(await currentContext(), medium, computer, isSecureBootOff);
  if (result.ok) revalidatePath("/", "layout");
  return result;
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
