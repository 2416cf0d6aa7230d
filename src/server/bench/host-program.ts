import { stat } from "node:fs/promises";
import { join } from "node:path";
import { FileSource } from "../host/file-source";
import type { SentFile } from "../host/ranged";

/** The programs of bench hosts: one for Node, and one with Node in it for Linux on x64. */
export const HOST_PROGRAMS = ["creel-bench", "creel-bench.cjs"] as const;

/** Opens one of them, to be closed when it is sent; null where it was not built. */
export async function openHostProgram(name: (typeof HOST_PROGRAMS)[number]): Promise<SentFile | null> {
  const path = join(process.cwd(), ".next", "workers", name);
  const found = await stat(path).catch(() => null);
  if (!found) return null;
  const source = await FileSource.open(path);
  return { name, version: `${found.size}-${found.mtimeMs}`, source, close: () => source.close() };
}
