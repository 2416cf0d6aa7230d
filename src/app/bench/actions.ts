"use server";

import { revalidatePath } from "next/cache";
import { fillBerth } from "@/server/bench/berths";
import { FAULTS, switchFault } from "@/server/bench/faults";
import { askOf, resume, startCheck, startPreparation } from "@/server/bench/jobs";
import { fail, type Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

export async function startPreparationAction(input: unknown): Promise<Result<number>> {
  const result = await startPreparation(await currentContext(), input);
  if (result.ok) revalidatePath("/bench");
  return result;
}

export async function startCheckAction(
  berthId: number,
  kind: "verify" | "capacity",
  confirm: string,
): Promise<Result<number>> {
  const result = await startCheck(await currentContext(), berthId, { kind }, confirm);
  if (result.ok) revalidatePath("/bench");
  return result;
}

export async function askAction(jobId: number, wish: "pause" | "cancel"): Promise<Result<string>> {
  const result = await askOf(await currentContext(), jobId, wish);
  revalidatePath(`/bench/jobs/${jobId}`);
  return result;
}

export async function resumeAction(jobId: number): Promise<Result<number>> {
  const result = await resume(await currentContext(), jobId);
  revalidatePath(`/bench/jobs/${jobId}`);
  return result;
}

export async function switchFaultAction(deviceId: number, fault: string): Promise<Result<string>> {
  const known = FAULTS.find((each) => each === fault);
  if (!known) return fail({ code: "not-found", what: "such fault" });
  const result = await switchFault(await currentContext(), deviceId, known);
  revalidatePath("/bench");
  return result;
}

export async function fillBerthAction(
  berthId: number,
  version: number,
  deviceId: number | null,
): Promise<Result<number>> {
  const result = await fillBerth(await currentContext(), berthId, version, deviceId);
  if (result.ok) revalidatePath("/bench");
  return result;
}
