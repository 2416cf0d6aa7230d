"use server";

import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";
import { setMailAddress } from "@/server/upkeep/addresses";
import { type DigestRound, sendDigests } from "@/server/upkeep/digests";
import { putOff } from "@/server/upkeep/due";
import { takeUp } from "@/server/upkeep/snoozes";
import { type Entered, enterVisit } from "@/server/upkeep/visits";
import { currentContext } from "../_lib/context";

export async function putOffAction(input: unknown): Promise<Result<number>> {
  const result = await putOff(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function takeUpAction(snoozeId: number): Promise<Result<number>> {
  const result = await takeUp(await currentContext(), snoozeId);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function enterVisitAction(input: unknown): Promise<Result<Entered>> {
  const result = await enterVisit(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function setMailAddressAction(input: unknown): Promise<Result<string | null>> {
  const result = await setMailAddress(await currentContext(), input);
  if (result.ok) revalidatePath("/upkeep/mail");
  return result;
}

export async function sendDigestsAction(): Promise<DigestRound> {
  return sendDigests(await currentContext());
}
