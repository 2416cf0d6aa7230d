"use server";

import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";
import { addRehearsal } from "@/server/services/rehearsals";
import { currentContext } from "../../_lib/context";

export async function addRehearsalAction(input: unknown): Promise<Result<number>> {
  const result = await addRehearsal(await currentContext(), input);
  if (result.ok) revalidatePath("/chains/rehearsals");
  return result;
}
