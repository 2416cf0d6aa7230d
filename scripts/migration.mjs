#!/usr/bin/env node
// Makes a migration from the schema, and makes each of its statements harmless where it was done already: MariaDB
// does not undo table changes with a transaction, so a start that was killed half-way must be able to go on.
// Usage: npm run migration -- --name WHAT
import { spawnSync } from "node:child_process";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";

const FOLDER = join(ROOT, "src", "server", "db", "migrations");
const REPEATABLE = [
  [/^CREATE TABLE (?!IF)/gm, "CREATE TABLE IF NOT EXISTS "],
  [/^CREATE (UNIQUE )?INDEX (?!IF)/gm, "CREATE $1INDEX IF NOT EXISTS "],
  [/ADD CONSTRAINT `(\w+)` FOREIGN KEY \(/g, "ADD CONSTRAINT `$1` FOREIGN KEY IF NOT EXISTS `$1` ("],
  [/^ALTER TABLE (`\w+`) ADD CONSTRAINT (`\w+`) UNIQUE\(/gm, "CREATE UNIQUE INDEX IF NOT EXISTS $2 ON $1 ("],
  [/^(ALTER TABLE `\w+`) ADD (?!IF|CONSTRAINT)(`)/gm, "$1 ADD COLUMN IF NOT EXISTS $2"],
  [/^(ALTER TABLE `\w+`) DROP COLUMN (?!IF)/gm, "$1 DROP COLUMN IF EXISTS "],
  [/^DROP INDEX (?!IF)/gm, "DROP INDEX IF EXISTS "],
];

await runMain(() => {
  const result = spawnSync(join(ROOT, "node_modules", ".bin", "drizzle-kit"), ["generate", ...process.argv.slice(2)], {
    cwd: ROOT,
    stdio: "inherit",
  });
  if (result.status !== 0) throw new Problem("The migration could not be made; what went wrong is above.");
  for (const name of readdirSync(FOLDER).filter((each) => each.endsWith(".sql"))) {
    const file = join(FOLDER, name);
    const before = readFileSync(file, "utf8");
    const after = REPEATABLE.reduce((sql, [pattern, text]) => sql.replace(pattern, text), before);
    if (after !== before) writeFileSync(file, after);
  }
});
