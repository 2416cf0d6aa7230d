"use server";

import { saveRule, saveRuleValue, setTravel } from "@/server/inventory/policies";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function saveRuleAction(input: unknown, version: number | null): Promise<Result<number | null>> {
  return refreshIfDone(await saveRule(await currentContext(), input, version));
}

export async function saveRuleValueAction(input: unknown): Promise<Result<number | null>> {
  return refreshIfDone(await saveRuleValue(await currentContext(), input));
}

export async function setTravelAction(input: unknown): Promise<Result<number | null>> {
  return refreshIfDone(await setTravel(await currentContext(), input));
}
