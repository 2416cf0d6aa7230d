"use server";

import { revalidatePath } from "next/cache";
import { addKit, saveKit } from "@/server/media/releases";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

function refreshIfDone(result: Result<number>): Result<number> {
  if (result.ok) revalidatePath("/kits", "layout");
  return result;
}

export async function addKitAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await addKit(await currentContext(), input));
}

export async function saveKitAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return refreshIfDone(await saveKit(await currentContext(), id, version, input));
}
