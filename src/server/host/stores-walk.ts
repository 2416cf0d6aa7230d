import { randomBytes } from "node:crypto";
import { open, readdir, readFile, rm, stat, statfs } from "node:fs/promises";
import { join } from "node:path";
import { z } from "zod";
import type { StoreFile } from "@/core/images/grouping";

/** So many files of a store are looked at; an image store has some thousands. */
const STORE_FILES_MAX = 100_000;
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

const MEASURE_PIECE_BYTES = 4 << 20;
const MEASURE_BYTES = 256 << 20;
const MEASURE_MS = 20_000;
const MEASURE_PREFIX = ".creel-measure-";

/**
 * How fast a folder is written to, bytes a second, until it says that all is down: random bytes into a file of its own,
 * removed after. Null where there is not room for four times that. Throws what the operating system says.
 */
export async function measuredWriteRate(folder: string, mostBytes = MEASURE_BYTES): Promise<number | null> {
  // A server that was stopped meanwhile left one.
  for (const name of await readdir(folder))
    if (name.startsWith(MEASURE_PREFIX)) await rm(join(folder, name), { force: true });
  const { bavail, bsize } = await statfs(folder);
  if (bavail * bsize < 4 * mostBytes) return null;
  const piece = randomBytes(MEASURE_PIECE_BYTES);
  const path = join(folder, `${MEASURE_PREFIX}${randomBytes(6).toString("hex")}`);
  const file = await open(path, "wx");
  try {
    const startedAt = performance.now();
    let bytes = 0;
    while (bytes < mostBytes && performance.now() - startedAt < MEASURE_MS)
      bytes += (await file.write(piece)).bytesWritten;
    await file.sync();
    return Math.min(2_000_000_000, Math.round(bytes / ((performance.now() - startedAt) / 1000)));
  } finally {
    await file.close();
    await rm(path, { force: true });
  }
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
      } else if (entry.isFile() && entry.name !== ROOM_FILE && !entry.name.startsWith(MEASURE_PREFIX)) {
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
