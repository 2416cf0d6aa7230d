#!/usr/bin/env node
// Installs what is missing, prepares the database, builds if needed and starts Creel with what is in it: nothing, at first.
import { join } from "node:path";
import { runScript } from "./lib/build.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";
import { freeOwnPort, runCreel } from "./lib/run-creel.mjs";

const HOST = process.env.HOST || "127.0.0.1";
const LOOPBACK = /^(127(\.\d{1,3}){3}|localhost|::1)$/;

await runMain(async () => {
  const [unknown] = process.argv.slice(2);
  if (unknown)
    throw new Problem(`"${unknown}" is not known here. PORT, HOST and DATABASE_URL are set before npm start.`);
  if (!/^[\w.:-]+$/.test(HOST)) throw new Problem(`HOST is "${HOST}", which is no address of this machine.`);
  const port = await freeOwnPort("npm start");
  installNpmPackages();
  if (!process.env.DATABASE_URL) installDebianPackages(DEBIAN.run);
  await runCreel({
    ...{ folder: join(ROOT, ".creel", "own"), host: HOST, port },
    prepare: (url, data) => {
      if (runScript("scripts/prepare-database.mts", [], { DATABASE_URL: url, CREEL_DATA: data }) !== 0)
        throw new Problem("Creel was not started, for the reason above.");
    },
    ready: (address) => {
      if (!LOOPBACK.test(HOST))
        console.log(
          "There is no sign-in yet: anyone who reaches this address can act as anyone. Use a trusted network only.",
        );
      console.log(`Creel is ready: ${address}\nCtrl-C stops it; the data stays.`);
    },
  });
});
