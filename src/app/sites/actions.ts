"use server";

import { z } from "zod";
import { addSite, setNamePattern } from "@/server/inventory/sites";
import { compareStock, giveBack, lend, takeStock } from "@/server/media/loans";
import { action, id, input, question, version, word } from "../_lib/guard";

const TAGS_AT_ONCE = 5_000;
const tags = z.array(word).max(TAGS_AT_ONCE);

export const addSiteAction = action("addSite", "lead", [input], addSite);
export const lendAction = action("lend", "technician", [input], lend);
export const giveBackAction = action("giveBack", "technician", [word, id.nullable()], giveBack);
export const setNamePatternAction = action("setNamePattern", "lead", [id, version, word], setNamePattern);
export const compareStockAction = question("compareStock", "technician", [id, tags], compareStock);
export const takeStockAction = action("takeStock", "technician", [id, tags], takeStock);
