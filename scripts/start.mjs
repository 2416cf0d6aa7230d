#!/usr/bin/env node
// Installs what is missing, prepares the database, builds if needed and starts Creel with what is in it: nothing, at first.
import { randomBytes } from "node:crypto";
import { join } from "node:path";
import { runScript } from "./lib/build.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";
import { freeOwnPort, runCreel } from "./lib/run-creel.mjs";

const HOST = process.env.HOST || "127.0.0.1";
/** These are every address of the machine, and none that anybody types. */
const ALL = ["0.0.0.0", "::"];
/** What scripts/prepare-database.mts ends with where nobody has an account yet. */
const NEW = 3;

await runMain(async () => {
  const [unknown] = process.argv.slice(2);
  if (unknown)
    throw new Problem(`"${unknown}" is not known here. PORT, HOST and DATABASE_URL are set before npm start.`);
  if (!/^[\w.:-]+$/.test(HOST)) throw new Problem(`HOST is "${HOST}", which is no address of this machine.`);
  if (process.env.CREEL_DEMO) throw new Problem("CREEL_DEMO is the demo's alone. Use npm run demo, or unset it.");
  if (ALL.includes(HOST) && !process.env.CREEL_URL)
    throw new Problem(
      `HOST is ${HOST}, every address of this machine. Set CREEL_URL to the address that people type, such as https://creel.example.`,
    );
  const port = await freeOwnPort("npm start");
  const code = randomBytes(24).toString("base64url");
  let isNew = false;
  installNpmPackages();
  if (!process.env.DATABASE_URL) installDebianPackages(DEBIAN.run);
  await runCreel({
    ...{ folder: join(ROOT, ".creel", "own"), host: HOST, port },
    prepare: (env) => {
      const status = runScript("scripts/prepare-database.mts", [], { ...env, CREEL_SET_UP_CODE: code });
      if (status !== 0 && status !== NEW) throw new Problem("Creel was not started, for the reason above.");
      isNew = status === NEW;
    },
    ready: (own) => {
      const address = process.env.CREEL_URL?.split(",")[0]?.trim() || own;
      console.log(`Creel is ready: ${address}\nCtrl-C stops it; the data stays.`);
      if (isNew)
        console.log(
          `Nobody has an account yet. Set Creel up within two days, once, by this link:\n${address}/set-up?code=${code}`,
        );
    },
  });
});
