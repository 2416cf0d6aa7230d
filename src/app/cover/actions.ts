"use server";

import { acceptPlan, cancelPlan, startPlan } from "@/server/cover/plans";
import { tickTask } from "@/server/drills/cover-tasks";
import { action, flag, id, input, version } from "../_lib/guard";

const quiet = { refresh: false };

export const startPlanAction = action("startPlan", "technician", [input], startPlan, quiet);
export const cancelPlanAction = action("cancelPlan", "technician", [id], cancelPlan, quiet);
export const acceptPlanAction = action("acceptPlan", "lead", [id, version], acceptPlan);
export const tickTaskAction = action("tickTask", "technician", [id, flag], tickTask);
