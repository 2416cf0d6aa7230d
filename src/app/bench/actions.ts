"use server";

import { revalidatePath } from "next/cache";
import { benchRequestSchema } from "@/core/making/jobs/job";
import { fillBerth, setBatch } from "@/server/bench/berths";
import { FAULTS, switchFault } from "@/server/bench/faults";
import { askOf, resume, startCheck, startPreparation, startStore } from "@/server/bench/jobs";
import type { PackImport } from "@/server/bench/pack-import";
import { type Registered, registerFromBerth } from "@/server/bench/register-found";
import { takeInFromBerth } from "@/server/bench/take-in";
import { addMedium, NOTHING_READ } from "@/server/media/media";
import { fail, type Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function startPreparationAction(input: unknown): Promise<Result<number>> {
  const result = await startPreparation(await currentContext(), input);
  if (result.ok) revalidatePath("/bench");
  return result;
}

export async function startStoreAction(input: unknown): Promise<Result<number>> {
  const result = await startStore(await currentContext(), input);
  if (result.ok) revalidatePath("/bench");
  return result;
}

/** A medium that is still a file: it is at hand once it was written or burnt. */
export async function registerFileAction(input: {
  tag: string;
  releaseIds: number[];
  bytes: number;
  name: string | null;
  siteId: number | null;
  note: string | null;
}): Promise<Result<number>> {
  const { bytes, ...said } = input;
  const medium = { ...said, kind: "file", capacityBytes: bytes, onComputer: null, lentTo: null };
  const rest = { condition: null, writtenOn: null, verified: null };
  return refreshIfDone(await addMedium(await currentContext(), { ...medium, ...rest }, NOTHING_READ));
}

export async function startTestAction(berthId: number, confirm: string): Promise<Result<number>> {
  const result = await startCheck(await currentContext(), berthId, { kind: "capacity" }, confirm);
  if (result.ok) revalidatePath("/bench");
  return result;
}

/** `share`: of its content, above 0 and at most 1; null: all of it. */
export async function startVerificationAction(berthId: number, share: number | null): Promise<Result<number>> {
  const request = benchRequestSchema.safeParse({ kind: "verify", share });
  if (!request.success || request.data.kind !== "verify") return fail({ code: "not-found", what: "share" });
  const result = await startCheck(await currentContext(), berthId, request.data, "");
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
  const knownFault = FAULTS.find((each) => each === fault);
  if (!knownFault) return fail({ code: "not-found", what: "fault" });
  const result = await switchFault(await currentContext(), deviceId, knownFault);
  revalidatePath("/bench");
  return result;
}

export async function takeInAction(berthId: number): Promise<Result<PackImport>> {
  const result = await takeInFromBerth(await currentContext(), berthId);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function registerFoundAction(berthId: number, tag: string): Promise<Result<Registered>> {
  const result = await registerFromBerth(await currentContext(), berthId, { tag });
  if (result.ok) revalidatePath("/", "layout");
  return result;
}

export async function setBatchAction(deviceId: number, version: number, batch: string): Promise<Result<number>> {
  const result = await setBatch(await currentContext(), deviceId, version, batch);
  if (result.ok) revalidatePath("/bench/devices");
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
