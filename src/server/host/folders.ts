import { randomUUID } from "node:crypto";
import { existsSync, linkSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { BenchJobId } from "../db/ids";

/** Where this server keeps what is too large for its database: CREEL_DATA, or `.creel/data` beside it. */
export function dataFolder(): string {
  return process.env.CREEL_DATA ?? join(/* turbopackIgnore: true */ process.cwd(), ".creel", "data");
}

/** Files of releases, under the names that they were read by. */
export const libraryFolder = () => join(dataFolder(), "library");
/** Files that can be put beside a release. */
export const carryFolder = () => join(libraryFolder(), "carry");
/** Files of releases on their way, as far as they have arrived. */
export const uploadsFolder = () => join(dataFolder(), "uploads");
/** Stores that this server can look into: a folder each, where a share or a disk is mounted. */
export const storesFolder = () => join(dataFolder(), "stores");
/** Simulated devices, a folder each. */
export const devicesFolder = () => join(dataFolder(), "devices");
/** Journals of jobs, a folder each. */
export const jobFolder = (jobId: BenchJobId) => join(dataFolder(), "jobs", String(jobId));

/**
 * By what work is told that only servers with this folder can do: servers that share it are the same. Whoever comes first
 * names it, in a file of its own.
 */
export function folderIdentity(): string {
  const path = join(dataFolder(), "identity");
  if (!existsSync(path)) {
    mkdirSync(dataFolder(), { recursive: true });
    const own = `${path}-${randomUUID()}`;
    writeFileSync(own, randomUUID(), { mode: 0o600 });
    try {
      // A link is made whole or not at all: of two that begin at once one is first.
      linkSync(own, path);
    } catch (error) {
      if ((error as { code?: string }).code !== "EEXIST") throw error;
    } finally {
      rmSync(own, { force: true });
    }
  }
  return readFileSync(path, "utf8");
}
