#!/usr/bin/env node
// Installs what is missing, prepares the database, loads the demo, builds if needed and starts Creel.
import { rmSync } from "node:fs";
import { join } from "node:path";
import { runScript } from "./lib/build.mjs";
import { stopLeftOver } from "./lib/database.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";
import { freeOwnPort, runCreel } from "./lib/run-creel.mjs";

await runMain(async () => {
  const unknown = process.argv.slice(2).filter((each) => each !== "--fresh");
  if (unknown.length > 0)
    throw new Problem(`"${unknown[0]}" is not known here. Use npm run demo, or npm run demo -- --fresh to start over.`);
  const fresh = process.argv.includes("--fresh");
  const port = await freeOwnPort("npm run demo");
  const given = process.env.DATABASE_URL;
  installNpmPackages();
  installDebianPackages([...(given ? [] : DEBIAN.run), ...DEBIAN.samples]);
  const folder = join(ROOT, ".creel", "demo");
  if (fresh && !given) {
    await stopLeftOver(folder);
    rmSync(folder, { recursive: true, force: true });
  }
  await runCreel({
    ...{ folder, port, more: { CREEL_DEMO: "1" } },
    prepare: (env) => {
      if (runScript("scripts/load-demo.mts", fresh ? ["--fresh"] : [], env) !== 0)
        throw new Problem(
          "The demo data could not be loaded, for the reason above; npm run demo -- --fresh starts over.",
        );
    },
    ready: (address) => console.log(`Creel is ready: ${address}\nCtrl-C stops it; the data stays.`),
  });
});
