import { existsSync } from "node:fs";
import { join } from "node:path";

/** Programs of the server's threads, made by the build from `src/workers`. */
const NAMES = ["fleet", "jobs", "bodies"] as const;
type ThreadName = (typeof NAMES)[number];

export function threadFile(name: ThreadName): string {
  return join(/* turbopackIgnore: true */ process.cwd(), ".next", "workers", `${name}.mjs`);
}

/** Whether the build made the programs: without them everything is done in the one thread that there is. */
export function hasThreads(): boolean {
  return NAMES.every((name) => existsSync(threadFile(name)));
}
