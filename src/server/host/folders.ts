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
/** Stores that this server can look into: a folder each, where a share or a disk is mounted. */
export const storesFolder = () => join(dataFolder(), "stores");
/** Simulated devices, a folder each. */
export const devicesFolder = () => join(dataFolder(), "devices");
/** Journals of jobs, a folder each. */
export const jobFolder = (jobId: BenchJobId) => join(dataFolder(), "jobs", String(jobId));
