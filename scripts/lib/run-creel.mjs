import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { buildIfNeeded, endServer, serve } from "./build.mjs";
import { portIsFree, startDatabase } from "./database.mjs";
import { Problem } from "./problem.mjs";

const USUAL_PORT = 4824;

/** The port that PORT names, 4824 where it names none. `command`: what was called, for the sentence. */
export async function freeOwnPort(command) {
  const port = Number(process.env.PORT || USUAL_PORT);
  if (!Number.isInteger(port) || port < 1 || port > 65535)
    throw new Problem(`PORT is "${process.env.PORT}", which is not a port number.`);
  if (!(await portIsFree(port)))
    throw new Problem(`Port ${port} is in use. End what uses it, or choose another: PORT=4825 ${command}`);
  return port;
}

/** What sessions are signed with, the same after each start; whoever has it can sign in as anybody. */
function secretIn(folder) {
  const path = join(folder, "secret");
  if (!existsSync(path)) writeFileSync(path, randomBytes(32).toString("base64url"), { mode: 0o600, flag: "wx" });
  return readFileSync(path, "utf8");
}

/** A database of somebody's own, whose tables may be another account's than that which the server runs by. */
function givenDatabase() {
  const runningUrl = process.env.DATABASE_URL;
  if (!runningUrl) return null;
  return { url: process.env.DATABASE_OWNER_URL || runningUrl, runningUrl, stop: async () => {}, kill: () => {} };
}

/**
 * Starts the database that is needed, prepares it, builds the application where it has changed and serves it until it is
 * asked to end. `folder`: what it keeps; `prepare` gets the variables that scripts need to prepare it: the database's address
 * for the account that owns it, for the one that the server runs by, and the folder for what is too large for it; `more`:
 * variables of the server's own.
 */
export async function runCreel({ folder, host = "127.0.0.1", port, prepare, ready, more = {} }) {
  const given = givenDatabase();
  const data = process.env.CREEL_DATA ? resolve(process.env.CREEL_DATA) : join(folder, "data");
  mkdirSync(folder, { recursive: true });
  const database = given ?? (await startDatabase(folder));
  process.once("exit", database.kill);
  const secret = process.env.CREEL_SECRET || secretIn(folder);
  // For the command line beside it. It has the password in it, as the file that it is from.
  if (!given) writeFileSync(join(folder, "database-url"), database.url, { mode: 0o600 });
  let stopping = false;
  let server;
  const stop = async (code) => {
    // A second Ctrl-C must not leave the servers behind.
    if (stopping) return;
    stopping = true;
    // Its database must be there while it hands its work back.
    await endServer(server);
    await database.stop();
    process.exit(code);
  };
  process.on("SIGINT", () => stop(0));
  process.on("SIGTERM", () => stop(0));
  try {
    await buildIfNeeded();
    const { url, runningUrl } = database;
    await prepare({ DATABASE_URL: runningUrl, DATABASE_OWNER_URL: url, CREEL_DATA: data });
    const env = { CREEL_SECRET: secret, ...more };
    server = await serve(port, database.runningUrl, join(folder, "web.log"), data, { host, more: env });
    server.once("exit", () => stop(1));
    ready(`http://${host.includes(":") ? `[${host}]` : host}:${port}`);
  } catch (error) {
    await endServer(server);
    await database.stop();
    throw error;
  }
}
