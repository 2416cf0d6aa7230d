"use server";

import { revalidatePath } from "next/cache";
import { dateVerification, type VerificationOutcome } from "@/server/media/date-verification";
import { addMedium, retireMedium, saveMedium } from "@/server/media/media";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

/** `kept`: the id of what was read from its file and kept before; null: nothing was. */
export async function addMediumAction(input: unknown, kept: number | null): Promise<Result<number>> {
  const result = await addMedium(await currentContext(), input, kept === null ? null : { kept });
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function saveMediumAction(
  id: number,
  version: number,
  input: unknown,
  kept: number | null,
): Promise<Result<number>> {
  const result = await saveMedium(await currentContext(), id, version, input, kept === null ? null : { kept });
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function retireMediumAction(id: number, version: number, retired: boolean): Promise<Result<number>> {
  const result = await retireMedium(await currentContext(), id, version, retired);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function dateVerificationAction(tag: string, outcome: VerificationOutcome): Promise<Result<number>> {
  const result = await dateVerification(await currentContext(), tag, outcome === "whole" ? "whole" : "damaged");
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
