#!/usr/bin/env node
import { spawnSync } from "node:child_process";
// Installs what is missing and runs every check: types, lint, directions, units, firmware, browser.
// npm test -- NAME… runs some of them only.
import { rmSync } from "node:fs";
import { join } from "node:path";
import { buildIfNeeded, runScript, serve } from "./lib/build.mjs";
import { freePort, startDatabase, stopLeftOver } from "./lib/database.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";

const bin = (name) => join(ROOT, "node_modules", ".bin", name);

function step(title, command, args, env = {}) {
  console.log(`\n── ${title}`);
  const { status } = spawnSync(command, args, {
    cwd: ROOT,
    stdio: "inherit",
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1", ...env },
  });
  if (status !== 0) throw new Problem(`${title} failed.`);
}

const STEPS = {
  types: () => {
    // The route types are generated, and a fresh clone has none.
    step("Route types", bin("next"), ["typegen"]);
    step("Type check", bin("tsc"), ["--noEmit", "-p", "."]);
  },
  lint: () => step("Formatter and linter", bin("biome"), ["check", "."]),
  directions: () =>
    step("Directions of dependencies", bin("depcruise"), ["src", "--config", ".dependency-cruiser.cjs"]),
  units: ({ url }) => step("Units, reference tools, firmware", bin("jest"), ["--ci"], { DATABASE_URL: url }),
  browser: async ({ url }) => {
    console.log("\n── Browser");
    buildIfNeeded();
    const data = join(ROOT, ".creel", "test", "data");
    if (runScript("scripts/load-demo.mts", ["--fresh"], { DATABASE_URL: url, CREEL_DATA: data }) !== 0)
      throw new Problem("The demo data could not be loaded.");
    const port = await freePort();
    const server = await serve(port, url, join(ROOT, ".creel", "test-web.log"), data);
    try {
      step("Browser tests", bin("playwright"), ["test"], {
        CREEL_ADDRESS: `http://127.0.0.1:${port}`,
        DATABASE_URL: url,
        CREEL_DATA: data,
      });
    } finally {
      server.kill("SIGTERM");
    }
  },
};

await runMain(async () => {
  const wanted = process.argv.slice(2);
  const unknown = wanted.find((name) => !(name in STEPS));
  if (unknown) throw new Problem(`"${unknown}" is no part of the tests. They are: ${Object.keys(STEPS).join(", ")}.`);
  const chosen = Object.entries(STEPS).filter(([name]) => wanted.length === 0 || wanted.includes(name));
  installNpmPackages();
  let database = null;
  const given = process.env.CREEL_TEST_DATABASE_URL;
  if (chosen.some(([name]) => name === "units" || name === "browser")) {
    installDebianPackages([...(given ? [] : DEBIAN.run), ...DEBIAN.samples, ...DEBIAN.test]);
    const folder = join(ROOT, ".creel", "test");
    if (!given) {
      await stopLeftOver(folder);
      rmSync(folder, { recursive: true, force: true });
    }
    database = given ? { url: given, stop: async () => {}, kill: () => {} } : await startDatabase(folder);
    process.once("exit", database.kill);
  }
  try {
    for (const [, run] of chosen) await run(database ?? {});
    console.log("\nAll checks passed.");
  } finally {
    await database?.stop();
  }
});
