import { createWriteStream } from "node:fs";
import { rename, rm } from "node:fs/promises";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { visible } from "@/core/words/visible";
import { worldText } from "@/server/fleet/export-world";
import { fileProblem, UsageError } from "../problems";
import { withInventory } from "./inventory";

/** Writes everything that chains are judged from as `creel.world/1`: to a file, which is there whole or not at all, or out. */
export async function runExport({ out }: { out?: string }): Promise<void> {
  await withInventory(undefined, async (context) => {
    const text = Readable.from(worldText(context));
    if (out === undefined) return pipeline(text, process.stdout, { end: false });
    const part = `${out}.part`;
    try {
      await pipeline(text, createWriteStream(part));
      await rename(part, out);
    } catch (error) {
      await rm(part, { force: true });
      if (error instanceof Error && "code" in error) throw new UsageError(`${visible(out)}: ${fileProblem(error)}`);
      throw error;
    }
  });
}
