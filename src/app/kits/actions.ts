"use server";

import { revalidatePath } from "next/cache";
import { addSite } from "@/server/inventory/sites";
import { addKit, addRelease, saveKit, saveRelease } from "@/server/media/releases";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

async function refreshed(result: Result<number>, path = "/kits"): Promise<Result<number>> {
  if (result.ok) revalidatePath(path, "layout");
  return result;
}

export async function addKitAction(input: unknown): Promise<Result<number>> {
  return refreshed(await addKit(await currentContext(), input));
}

export async function saveKitAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return refreshed(await saveKit(await currentContext(), id, version, input));
}

export async function addReleaseAction(input: unknown): Promise<Result<number>> {
  return refreshed(await addRelease(await currentContext(), input), "/");
}

export async function saveReleaseAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return refreshed(await saveRelease(await currentContext(), id, version, input), "/");
}

export async function addSiteAction(input: unknown): Promise<Result<number>> {
  return refreshed(await addSite(await currentContext(), input), "/sites");
}
