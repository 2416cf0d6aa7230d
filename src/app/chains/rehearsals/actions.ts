"use server";

import { revalidatePath } from "next/cache";
import { addRehearsal } from "@/server/fleet/rehearsals";
import type { Result } from "@/server/problems";
import { currentContext } from "../../_lib/context";

export async function addRehearsalAction(input: unknown): Promise<Result<number>> {
  const result = await addRehearsal(await currentContext(), input);
  if (result.ok) revalidatePath("/chains/rehearsals");
  return result;
}
