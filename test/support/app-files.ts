import { readdirSync } from "node:fs";
import { join } from "node:path";

export const APP = join(process.cwd(), "src", "app");

/** Every file of the interface of one name, by its path below it. */
export function filesOfApp(isWanted: (name: string) => boolean): string[] {
  return readdirSync(APP, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && isWanted(entry.name))
    .map((entry) => join(entry.parentPath, entry.name).slice(APP.length + 1))
    .sort();
}
