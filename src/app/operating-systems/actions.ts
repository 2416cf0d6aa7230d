"use server";

import { importCalendar } from "@/server/inventory/calendars";
import { action, input } from "../_lib/guard";

export const importCalendarAction = action("importCalendar", "lead", [input], importCalendar);
