"use server";

import { z } from "zod";
import { registerNamed, takeOver } from "@/server/images/found-images";
import { cancelScan, measureStore, startScan, takeListing } from "@/server/images/store-scans";
import { addStore, retireStore, saveStore } from "@/server/images/stores";
import { action, flag, id, input, version, word } from "../_lib/guard";

const LISTING_CHARACTERS_MAX = 8 << 20;
const listing = z.string().max(LISTING_CHARACTERS_MAX);
const given = z.object({ kit: word.nullable(), kitVersion: word.nullable() });
const quiet = { refresh: false };

export const addStoreAction = action("addStore", "lead", [input], addStore);
export const saveStoreAction = action("saveStore", "lead", [id, version, input], saveStore);
export const retireStoreAction = action("retireStore", "lead", [id, version, flag], retireStore);
export const startScanAction = action("startScan", "technician", [id, flag], startScan, quiet);
export const cancelScanAction = action("cancelScan", "technician", [id], cancelScan, quiet);
export const measureStoreAction = action("measureStore", "technician", [id], measureStore);
export const takeListingAction = action("takeListing", "technician", [id, listing], takeListing);
export const takeOverAction = action("takeOver", "technician", [id], takeOver);
export const registerNamedAction = action("registerNamed", "technician", [id, given], registerNamed);
