"use server";

import { addRehearsal } from "@/server/fleet/rehearsals";
import { action, input } from "../../_lib/guard";

export const addRehearsalAction = action("addRehearsal", "technician", [input], addRehearsal);
