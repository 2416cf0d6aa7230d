#!/usr/bin/env node
// Tries bench hosts on real devices: a guest under QEMU with sticks that are pulled, fail, are protected, are alike.
import { spawnSync } from "node:child_process";
import { join } from "node:path";
import { startDatabase } from "./lib/database.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";
import { testFolder } from "./lib/ram.mjs";

await runMain(async () => {
  installNpmPackages();
  installDebianPackages([...DEBIAN.run, ...DEBIAN.samples, ...DEBIAN.test]);
  const made = testFolder();
  const database = await startDatabase(join(made.folder, "database"), { isFleeting: true });
  process.once("exit", database.kill);
  try {
    const { status } = spawnSync(join(ROOT, "node_modules", ".bin", "jest"), ["--ci", "test/bench/guest"], {
      cwd: ROOT,
      stdio: "inherit",
      env: { ...process.env, DATABASE_URL: database.url, TMPDIR: made.temp, CREEL_BENCH_HOST: "1" },
    });
    if (status !== 0) throw new Problem("A bench host did not do as it should; what it did is above.");
  } finally {
    await database.stop();
    made.remove();
  }
});
