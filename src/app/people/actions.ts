"use server";

import { revalidatePath } from "next/cache";
import { currentContext } from "@/app/_lib/context";
import { addPerson } from "@/server/inventory/people";
import { type Result, refused } from "@/server/problems";

/** Adds the first person of an inventory that has none; later ones are not added here. */
export async function addFirstPersonAction(input: Record<string, unknown>): Promise<Result<number>> {
  const context = await currentContext();
  if (context.people.length > 0) return refused({ code: "first-person-there" });
  const added = await addPerson(context, input);
  if (added.ok) revalidatePath("/", "layout");
  return added;
}
