import { readdir, readFile, stat, statfs } from "node:fs/promises";
import { join } from "node:path";
import { z } from "zod";
import type { StoreFile } from "@/core/images/grouping";

/** So many files of a store are looked at; an image store has some thousands. */
export const STORE_FILES_MAX = 100_000;
const DEPTH_MAX = 24;

/** How much room a stand-in for a share has: what a real one tells by its file system. */
export const ROOM_FILE = ".room.json";
const roomSchema = z.object({ capacityBytes: z.number().int().positive(), usedBytes: z.number().int().nonnegative() });

/** How large and how full the file system of a store is; null where the folder is none of its own. */
export async function roomIn(folder: string): Promise<{ capacityBytes: number; usedBytes: number } | null> {
  const told = await readFile(join(folder, ROOM_FILE), "utf8").catch(() => null);
  if (told !== null) {
    try {
      return roomSchema.parse(JSON.parse(told));
    } catch {
      return null;
    }
  }
  const [own, above] = await Promise.all([stat(folder), stat(join(folder, ".."))]);
  if (own.dev === above.dev) return null;
  const { blocks, bsize, bfree, bavail } = await statfs(folder);
  return { capacityBytes: (blocks - bfree + bavail) * bsize, usedBytes: (blocks - bfree) * bsize };
}

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
      } else if (entry.isFile() && entry.name !== ROOM_FILE) {
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
