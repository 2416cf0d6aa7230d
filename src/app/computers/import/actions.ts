"use server";

import { startImport } from "@/server/exchange/imports";
import type { Result } from "@/server/problems";
import { currentContext } from "../../_lib/context";

export async function startImportAction(id: number, options: unknown, what: "check" | "run"): Promise<Result<number>> {
  return startImport(await currentContext(), id, options, what);
}
