#!/usr/bin/env node
// Runs the command line from a bundle that is made anew only when a source is newer than it.
import { existsSync, readdirSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";

const root = join(dirname(fileURLToPath(import.meta.url)), "..");
const bundle = join(root, "dist", "creel.mjs");

function newest(folder) {
  return Math.max(
    ...readdirSync(folder, { recursive: true, withFileTypes: true }).map(
      (each) => statSync(join(each.parentPath ?? each.path, each.name)).mtimeMs,
    ),
  );
}

const sources = ["src/cli", "src/core", "src/server/files"].map((each) => join(root, each));
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
    format: "esm",
    target: "node20",
    minify: true,
    logLevel: "error",
    alias: { "@": join(root, "src") },
    banner: { js: 'import { createRequire } from "node:module"; const require = createRequire(import.meta.url);' },
  });
}
await import(pathToFileURL(bundle).href);
