import { readdir, stat } from "node:fs/promises";
import { join } from "node:path";
import type { StoreFile } from "@/core/images/grouping";

/** So many files of a store are looked at; an image store has some thousands. */
export const STORE_FILES_MAX = 100_000;
const DEPTH_MAX = 24;

/** The files below a folder, links left out. Throws what the operating system says of the folder itself. */
export async function storeFiles(folder: string): Promise<{ files: StoreFile[]; isCut: boolean }> {
  const files: StoreFile[] = [];
  let isCut = false;
  const look = async (below: string, depth: number): Promise<void> => {
    const entries = await readdir(join(folder, below), { withFileTypes: true }).catch((error: unknown) => {
      if (below === "") throw error;
      return [];
    });
    for (const entry of entries) {
      const path = below === "" ? entry.name : `${below}/${entry.name}`;
      if (entry.isDirectory()) {
        if (depth < DEPTH_MAX) await look(path, depth + 1);
        else isCut = true;
      } else if (entry.isFile()) {
        if (files.length === STORE_FILES_MAX) {
          isCut = true;
          return;
        }
        const found = await stat(join(folder, path)).catch(() => null);
        if (found) files.push({ path, bytes: found.size, modified: found.mtime.toISOString() });
      }
    }
  };
  await look("", 0);
  return { files, isCut };
}
