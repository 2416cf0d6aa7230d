#!/usr/bin/env node
// Tries Creel's own environment for a whole day under QEMU: it starts by each firmware, surveys, saves, restores.
import { spawnSync } from "node:child_process";
import { join } from "node:path";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";
import { testFolder } from "./lib/ram.mjs";

await runMain(async () => {
  installNpmPackages();
  installDebianPackages([...DEBIAN.samples, ...DEBIAN.kit, ...DEBIAN.test]);
  const made = testFolder();
  try {
    const { status } = spawnSync(join(ROOT, "node_modules", ".bin", "jest"), ["--ci", "test/kit"], {
      cwd: ROOT,
      stdio: "inherit",
      env: { ...process.env, TMPDIR: made.temp, CREEL_KIT_DAY: "1" },
    });
    if (status !== 0) throw new Problem("The environment did not do as it should; what it did is above.");
  } finally {
    made.remove();
  }
});
