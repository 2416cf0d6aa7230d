"use server";

import { acceptPlan, cancelPlan, startPlan } from "@/server/cover/plans";
import { tickTask } from "@/server/drills/cover-tasks";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function startPlanAction(input: unknown): Promise<Result<number>> {
  return startPlan(await currentContext(), input);
}

export async function cancelPlanAction(id: number): Promise<Result<boolean>> {
  return cancelPlan(await currentContext(), id);
}

export async function acceptPlanAction(id: number, version: number): Promise<Result<number>> {
  return refreshIfDone(await acceptPlan(await currentContext(), id, version));
}

export async function tickTaskAction(id: number, isDone: boolean): Promise<Result<boolean>> {
  return refreshIfDone(await tickTask(await currentContext(), id, isDone));
}
