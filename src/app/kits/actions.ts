"use server";

import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";
import { addKit, addRelease, addSite } from "@/server/services/places";
import { currentContext } from "../_lib/context";

export async function addKitAction(input: unknown): Promise<Result<number>> {
  const result = await addKit(await currentContext(), input);
  if (result.ok) revalidatePath("/kits");
  return result;
}

export async function addReleaseAction(input: unknown): Promise<Result<number>> {
  const result = await addRelease(await currentContext(), input);
  if (result.ok) revalidatePath("/kits");
  return result;
}

export async function addSiteAction(input: unknown): Promise<Result<number>> {
  const result = await addSite(await currentContext(), input);
  if (result.ok) revalidatePath("/sites");
  return result;
}
