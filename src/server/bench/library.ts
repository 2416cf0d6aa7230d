import { readdir, stat } from "node:fs/promises";
import { join } from "node:path";
import { eq } from "drizzle-orm";
import type { Context } from "../context";
import type { ReleaseId } from "../db/ids";
import { inspections, releases } from "../db/schema";
import { libraryFolder } from "../host/folders";

/** A release's file on this server. */
export interface ReleaseFile {
  path: string;
  name: string;
  bytes: number;
}

/** The file of a release: the one that it was read from, by name and size. `missing`: what it is called. */
export async function releaseFile(
  context: Context,
  releaseId: ReleaseId,
): Promise<{ file: ReleaseFile } | { missing: string | null }> {
  const [row] = await context.db
    .select({ name: inspections.fileName, bytes: inspections.bytes })
    .from(releases)
    .innerJoin(inspections, eq(inspections.id, releases.inspectionId))
    .where(eq(releases.id, releaseId));
  if (!row) return { missing: null };
  // Names come from the inventory: only one that lies in the folder itself is looked for.
  const names = await readdir(libraryFolder()).catch(() => [] as string[]);
  if (!names.includes(row.name)) return { missing: row.name };
  const path = join(libraryFolder(), row.name);
  const found = await stat(path).catch(() => null);
  return found?.isFile() && found.size === row.bytes
    ? { file: { path, name: row.name, bytes: row.bytes } }
    : { missing: row.name };
}
