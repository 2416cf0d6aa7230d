#!/usr/bin/env node
// Installs what is missing and runs every check: types, lint, directions, units, firmware, browser.
// npm test -- NAME… runs some of them only.
import { spawn } from "node:child_process";
import { join } from "node:path";
import { buildIfNeeded, endServer, runScript, serve } from "./lib/build.mjs";
import { freePort, startDatabase } from "./lib/database.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";
import { testFolder } from "./lib/ram.mjs";

const bin = (name) => join(ROOT, "node_modules", ".bin", name);
const running = new Set();

/** Runs a command to its end; what it prints is held back, where `isQuiet`, until it failed. */
function step(title, command, args, { env = {}, isQuiet = false } = {}) {
  const startedAt = Date.now();
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      cwd: ROOT,
      stdio: ["ignore", isQuiet ? "pipe" : "inherit", isQuiet ? "pipe" : "inherit"],
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: "1", ...env },
    });
    running.add(child);
    let printed = "";
    for (const stream of [child.stdout, child.stderr]) {
      stream?.on("data", (data) => {
        printed += data;
      });
    }
    child.once("error", reject);
    child.once("close", (status) => {
      running.delete(child);
      const took = `${Math.round((Date.now() - startedAt) / 1000)} s`;
      if (status === 0) {
        console.log(`── ${title}: passed, ${took}`);
        return resolve();
      }
      if (printed) process.stderr.write(`\n── ${title}\n${printed}\n`);
      reject(new Problem(`${title} failed.`));
    });
  });
}

const quiet = { isQuiet: true };

const STEPS = {
  types: async () => {
    // The route types are generated, and a fresh clone has none.
    await step("Route types", bin("next"), ["typegen"], quiet);
    await step("Type check", bin("tsc"), ["--noEmit", "-p", "."], quiet);
  },
  lint: async () => {
    await step("Formatter and linter", bin("biome"), ["check", "."], quiet);
    await step("Nothing unused", bin("knip"), ["--no-progress"], quiet);
  },
  directions: () =>
    step("Directions of dependencies", bin("depcruise"), ["src", "--config", ".dependency-cruiser.cjs"], quiet),
  units: async ({ url, folder, temp }) => {
    const schema = join(folder, "schema.sql");
    if (runScript("scripts/dump-schema.mts", [schema], { DATABASE_URL: url }) !== 0)
      throw new Problem("The schema of the database could not be made.");
    await step("Units, reference tools, firmware", bin("jest"), ["--ci"], {
      env: {
        DATABASE_URL: url,
        CREEL_TEST_SCHEMA: schema,
        TMPDIR: temp,
        CREEL_KEPT_MEDIA: join(folder, "media"),
      },
    });
  },
  browser: async ({ url, runningUrl, folder }) => {
    await buildIfNeeded();
    const data = join(folder, "data");
    await step(
      "Demo data",
      process.execPath,
      [join(ROOT, "node_modules", "tsx", "dist", "cli.mjs"), join(ROOT, "scripts", "load-demo.mts"), "--fresh"],
      { env: { DATABASE_URL: runningUrl, DATABASE_OWNER_URL: url, CREEL_DATA: data }, isQuiet: true },
    );
    const port = await freePort();
    const server = await serve(port, runningUrl, join(folder, "web.log"), data, { more: { CREEL_DEMO: "1" } });
    running.add(server);
    try {
      await step("Browser tests", bin("playwright"), ["test"], {
        env: { CREEL_ADDRESS: `http://127.0.0.1:${port}`, DATABASE_URL: url, CREEL_DATA: data },
      });
    } finally {
      await endServer(server);
      running.delete(server);
    }
  },
};

/** Steps that run one after the other; lanes run beside each other, since each of them waits now and then. */
const LANES = [["units"], ["types", "lint", "directions", "browser"]];

await runMain(async () => {
  const wanted = process.argv.slice(2);
  const unknown = wanted.find((name) => !(name in STEPS));
  if (unknown) throw new Problem(`"${unknown}" is no part of the tests. They are: ${Object.keys(STEPS).join(", ")}.`);
  const isWanted = (name) => wanted.length === 0 || wanted.includes(name);
  installNpmPackages();
  let context = {};
  let cleanUp = async () => {};
  if (isWanted("units") || isWanted("browser")) {
    const given = process.env.CREEL_TEST_DATABASE_URL;
    installDebianPackages([...(given ? [] : DEBIAN.run), ...DEBIAN.samples, ...DEBIAN.kit, ...DEBIAN.test]);
    const made = testFolder();
    const database = given
      ? { url: given, runningUrl: given, stop: async () => {}, kill: () => {} }
      : await startDatabase(join(made.folder, "database"), { isFleeting: true });
    process.once("exit", () => {
      for (const child of running) child.kill("SIGTERM");
      database.kill();
    });
    context = { ...made, url: database.url, runningUrl: database.runningUrl };
    cleanUp = async () => {
      await database.stop();
      made.remove();
    };
  }
  try {
    const lanes = LANES.map(async (names) => {
      for (const name of names.filter(isWanted)) await STEPS[name](context);
    });
    const ends = await Promise.allSettled(lanes);
    const failed = ends.filter(({ status }) => status === "rejected").map(({ reason }) => reason);
    if (failed.length > 1) throw new Problem(failed.map(({ message }) => message).join(" "));
    if (failed.length > 0) throw failed[0];
    console.log("\nAll checks passed.");
  } finally {
    await cleanUp();
  }
});
