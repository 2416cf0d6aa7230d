import { join } from "node:path";

/** Where the build puts the program of bench hosts. */
export const benchProgramPath = (): string => join(process.cwd(), ".next", "workers", "creel-bench.cjs");
