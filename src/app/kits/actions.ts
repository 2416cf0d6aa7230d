"use server";

import { addKit, saveKit } from "@/server/media/releases";
import { action, id, input, version } from "../_lib/guard";

export const addKitAction = action("addKit", "technician", [input], addKit);
export const saveKitAction = action("saveKit", "technician", [id, version, input], saveKit);
