import { readFileSync } from "node:fs";
import { join } from "node:path";
import { type Guard, guardOf } from "@/app/_lib/guard";
import { APP, filesOfApp } from "./app-files";

const isAction = (path: string) => /^"use server";/m.test(readFileSync(join(APP, path), "utf8"));

export interface Guarded {
  /** The file, below src/app. */
  path: string;
  exported: string;
  /** Null: nothing guards it. */
  guard: Guard | null;
}

async function exportsOf(paths: string[], isWanted: (name: string) => boolean): Promise<Guarded[]> {
  const found: Guarded[] = [];
  for (const path of paths) {
    const loaded: Record<string, unknown> = await import(join(APP, path));
    for (const [exported, value] of Object.entries(loaded))
      if (isWanted(exported)) found.push({ path, exported, guard: guardOf(value) });
  }
  return found;
}

/** Every action that a browser can call. */
export const actionsOfApp = () => exportsOf(filesOfApp((name) => /\.tsx?$/.test(name)).filter(isAction), () => true);

const METHODS = ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE"];

/** Every method of every route. */
export const routesOfApp = () =>
  exportsOf(
    filesOfApp((name) => name === "route.ts"),
    (exported) => METHODS.includes(exported),
  );
