"use server";

import { z } from "zod";
import { startImport } from "@/server/exchange/imports";
import { action, id, input } from "../../_lib/guard";

const what = z.enum(["check", "run"]);

export const startImportAction = action("startImport", "lead", [id, input, what], startImport, { refresh: false });
