#!/usr/bin/env node
// Runs the command line from a bundle that is made anew only when a source is newer than it.
import { existsSync, readdirSync, readFileSync, renameSync, statSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { Script } from "node:vm";

const root = join(dirname(fileURLToPath(import.meta.url)), "..");
const bundle = join(root, "dist", "creel.cjs");

function newest(folder) {
  return Math.max(
    ...readdirSync(folder, { recursive: true, withFileTypes: true }).map(
      (each) => statSync(join(each.parentPath ?? each.path, each.name)).mtimeMs,
    ),
  );
}

const sources = ["src/cli", "src/core", "src/server"].map((each) => join(root, each));
if (!existsSync(bundle) || statSync(bundle).mtimeMs < Math.max(...sources.map(newest))) {
  if (!existsSync(join(root, "node_modules", "esbuild"))) {
    process.stderr.write("creel: its packages are not installed yet. Run npm ci in the project first.\n");
    process.exit(2);
  }
  const { build } = await import("esbuild");
  await build({
    entryPoints: [join(root, "src/cli/entry.ts")],
    outfile: bundle,
    bundle: true,
    platform: "node",
    format: "cjs",
    target: "node20",
    minify: true,
    logLevel: "error",
    alias: { "@": join(root, "src") },
  });
}
// The inventory of the demo, where no other one is named.
const demo = join(root, ".creel", "demo");
if (!process.env.DATABASE_URL && existsSync(join(demo, "database-url"))) {
  process.env.DATABASE_URL = readFileSync(join(demo, "database-url"), "utf8").trim();
  process.env.CREEL_DATA ??= join(demo, "data");
}
process.env.CREEL_ROOT = root;
process.env.CREEL_MIGRATIONS = join(root, "src", "server", "db", "migrations");
run();

/** Runs the bundle with what the engine compiled at an earlier run, which saves a third of a short command's time. */
function run() {
  const compiled = `${bundle}.${process.version}.cache`;
  const fresh = existsSync(compiled) && statSync(compiled).mtimeMs >= statSync(bundle).mtimeMs;
  const source = `(function (require, module, exports) {${readFileSync(bundle, "utf8")}\n})`;
  const script = new Script(source, { filename: bundle, ...(fresh ? { cachedData: readFileSync(compiled) } : {}) });
  const module = { exports: {} };
  script.runInThisContext()(createRequire(bundle), module, module.exports);
  if (fresh && !script.cachedDataRejected) return;
  process.on("exit", () => {
    try {
      // Written aside and renamed: another run may be reading it.
      writeFileSync(`${compiled}.${process.pid}`, script.createCachedData());
      renameSync(`${compiled}.${process.pid}`, compiled);
    } catch {
      // A folder that cannot be written to costs time, nothing else.
    }
  });
}
