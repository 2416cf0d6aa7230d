"use server";

import { addRelease, saveRelease } from "@/server/media/releases";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function addReleaseAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await addRelease(await currentContext(), input));
}

export async function saveReleaseAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return refreshIfDone(await saveRelease(await currentContext(), id, version, input));
}
