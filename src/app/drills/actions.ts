"use server";

import { startEmulatedDrill } from "@/server/bench/emulated-drills";
import { recordDrill } from "@/server/drills/drills";
import { planDrill, withdrawDrill } from "@/server/drills/planned-drills";
import { action, id, input } from "../_lib/guard";

export const recordDrillAction = action("recordDrill", "technician", [input], recordDrill);

/** Gives the job's id; the job goes on by itself. */
export const startEmulatedDrillAction = action("startEmulatedDrill", "technician", [input], startEmulatedDrill, {
  refresh: false,
});

export const planDrillAction = action("planDrill", "technician", [input], planDrill);
export const withdrawDrillAction = action("withdrawDrill", "technician", [id], withdrawDrill);
