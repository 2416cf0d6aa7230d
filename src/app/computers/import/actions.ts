"use server";

import { revalidatePath } from "next/cache";
import { checkImport, runImport } from "@/server/exchange/imports";
import type { ImportReport } from "@/server/exchange/options";
import type { Result } from "@/server/problems";
import { currentContext } from "../../_lib/context";

export async function checkImportAction(id: number, options: unknown): Promise<Result<ImportReport>> {
  return checkImport(await currentContext(), id, options);
}

export async function runImportAction(id: number, options: unknown): Promise<Result<ImportReport>> {
  const result = await runImport(await currentContext(), id, options);
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
