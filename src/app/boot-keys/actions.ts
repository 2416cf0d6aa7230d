"use server";

import { revalidatePath } from "next/cache";
import { saveKeyCard } from "@/server/inventory/key-cards";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

export async function saveKeyCardAction(
  seen: { id: number; version: number } | null,
  input: unknown,
): Promise<Result<number>> {
  const result = await saveKeyCard(await currentContext(), seen, input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
