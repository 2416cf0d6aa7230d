import { existsSync } from "node:fs";
import { join } from "node:path";

/** Programs of the server's threads, made by the build from `src/workers`. */
export type ThreadName = "fleet" | "jobs";

export function threadFile(name: ThreadName): string {
  return join(/* turbopackIgnore: true */ process.cwd(), ".next", "workers", `${name}.mjs`);
}

/** Whether the build made the programs: without them everything is done in the one thread that there is. */
export function hasThreads(): boolean {
  return existsSync(threadFile("fleet")) && existsSync(threadFile("jobs"));
}
