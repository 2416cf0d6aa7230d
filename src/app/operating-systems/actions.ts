"use server";

import { revalidatePath } from "next/cache";
import { importCalendar } from "@/server/inventory/calendars";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";

export async function importCalendarAction(input: unknown): Promise<Result<number>> {
  const result = await importCalendar(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
