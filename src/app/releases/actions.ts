"use server";

import { addRelease, saveRelease } from "@/server/media/releases";
import { action, id, input, version } from "../_lib/guard";

export const addReleaseAction = action("addRelease", "technician", [input], addRelease);
export const saveReleaseAction = action("saveRelease", "technician", [id, version, input], saveRelease);
