#!/usr/bin/env node
// Builds Creel's own environment from Debian's packages: a hybrid ISO that surveys, saves and restores computers.
// Usage: npm run kit [-- --out FILE]
import { resolve } from "node:path";
import { buildKit } from "./kit/build.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";

await runMain(async () => {
  const args = process.argv.slice(2);
  const at = args.indexOf("--out");
  if (args.length !== (at < 0 ? 0 : 2) || (at >= 0 && !args[at + 1]))
    throw new Problem("Usage: npm run kit [-- --out FILE]");
  installNpmPackages();
  installDebianPackages(DEBIAN.kit);
  const made = await buildKit(resolve(ROOT, at < 0 ? ".creel/kit/creel-kit.iso" : args[at + 1]));
  console.log(`${made.file}: ${(made.bytes / 1e6).toFixed(0)} MB, SHA-256 ${made.sha256}`);
  console.log(`What it is made of: ${made.list}`);
});
