"use server";

import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";
import { importCalendar } from "@/server/services/calendars";
import { currentContext } from "../_lib/context";

export async function importCalendarAction(input: unknown): Promise<Result<number>> {
  const result = await importCalendar(await currentContext(), input);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
