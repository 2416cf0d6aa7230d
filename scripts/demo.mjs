#!/usr/bin/env node
// Installs what is missing, prepares the database, loads the demo, builds if needed and starts Creel.
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { buildIfNeeded, endServer, runScript, serve } from "./lib/build.mjs";
import { portIsFree, startDatabase, stopLeftOver } from "./lib/database.mjs";
import { DEBIAN, installDebianPackages, installNpmPackages, ROOT } from "./lib/install.mjs";
import { Problem, runMain } from "./lib/problem.mjs";

const PORT = Number(process.env.PORT ?? 4824);

await runMain(async () => {
  const unknown = process.argv.slice(2).filter((each) => each !== "--fresh");
  if (unknown.length > 0)
    throw new Problem(`"${unknown[0]}" is not known here. Use npm run demo, or npm run demo -- --fresh to start over.`);
  const fresh = process.argv.includes("--fresh");
  if (!Number.isInteger(PORT) || PORT < 1 || PORT > 65535)
    throw new Problem(`PORT is "${process.env.PORT}", which is not a port number.`);
  if (!(await portIsFree(PORT)))
    throw new Problem(`Port ${PORT} is in use. End what uses it, or choose another: PORT=4825 npm run demo`);
  const given = process.env.DATABASE_URL;
  installNpmPackages();
  installDebianPackages([...(given ? [] : DEBIAN.run), ...DEBIAN.samples]);
  const folder = join(ROOT, ".creel", "demo");
  const data = process.env.CREEL_DATA ?? join(folder, "data");
  if (fresh && !given) {
    await stopLeftOver(folder);
    rmSync(folder, { recursive: true, force: true });
  }
  mkdirSync(folder, { recursive: true });
  const database = given ? { url: given, stop: async () => {}, kill: () => {} } : await startDatabase(folder);
  process.once("exit", database.kill);
  // For the command line beside it. It has the password in it, as the file that it is from.
  if (!given) writeFileSync(join(folder, "database-url"), database.url, { mode: 0o600 });
  let stopping = false;
  const stop = async (code) => {
    // A second Ctrl-C must not leave the servers behind.
    if (stopping) return;
    stopping = true;
    // Its database must be there while it hands its work back.
    await endServer(server);
    await database.stop();
    process.exit(code);
  };
  let server;
  process.on("SIGINT", () => stop(0));
  process.on("SIGTERM", () => stop(0));
  try {
    await buildIfNeeded();
    if (
      runScript("scripts/load-demo.mts", fresh ? ["--fresh"] : [], { DATABASE_URL: database.url, CREEL_DATA: data }) !==
      0
    )
      throw new Problem(
        "The demo data could not be loaded, for the reason above; npm run demo -- --fresh starts over.",
      );
    server = await serve(PORT, database.url, join(folder, "web.log"), data);
    server.once("exit", () => stop(1));
    console.log(`Creel is ready: http://127.0.0.1:${PORT}\nCtrl-C stops it; the data stays.`);
  } catch (error) {
    await endServer(server);
    await database.stop();
    throw error;
  }
});
