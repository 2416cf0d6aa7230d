import { spawn, spawnSync } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import {
  chmodSync,
  copyFileSync,
  existsSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { ROOT } from "./install.mjs";
import { Problem } from "./problem.mjs";

/** By which Node finds a program within itself; of its documentation. */
const FUSE = "NODE_SEA_FUSE_fce680ab2cc467b6e072b8b5df1996b2";
const STAMP = join(ROOT, ".next", "creel-sources");
const WATCHED = ["src", "public", "next.config.ts", "postcss.config.mjs", "package-lock.json", "tsconfig.json"];

/** A digest of everything that the build depends on. */
function sourcesDigest() {
  const hash = createHash("sha256");
  const add = (path) => {
    if (!existsSync(path)) return;
    const entries = readdirSync(path, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1));
    for (const entry of entries) {
      const each = join(path, entry.name);
      if (entry.isDirectory()) add(each);
      else if (!/\.test\.tsx?$/.test(entry.name)) hash.update(each).update(readFileSync(each));
    }
  };
  for (const name of WATCHED) {
    const path = join(ROOT, name);
    if (/\.\w+$/.test(name)) {
      if (existsSync(path)) hash.update(name).update(readFileSync(path));
    } else add(path);
  }
  return hash.digest("hex");
}

const env = { ...process.env, NEXT_TELEMETRY_DISABLED: "1" };
const next = join(ROOT, "node_modules", "next", "dist", "bin", "next");

/** Builds the web application where its sources have changed since the last build. */
export async function buildIfNeeded() {
  const digest = sourcesDigest();
  if (existsSync(STAMP) && readFileSync(STAMP, "utf8") === digest) return;
  console.log("Building the web application …");
  const { status, printed } = await new Promise((resolve) => {
    const child = spawn(process.execPath, [next, "build"], { cwd: ROOT, env, stdio: ["ignore", "pipe", "pipe"] });
    let printed = "";
    for (const stream of [child.stdout, child.stderr]) {
      stream.on("data", (data) => {
        printed += data;
      });
    }
    child.once("close", (status) => resolve({ status, printed }));
  });
  if (status !== 0) {
    process.stderr.write(`${printed}\n`);
    throw new Problem("The web application could not be built; what the build printed is above.");
  }
  await buildThreads();
  await buildBenchHost();
  writeFileSync(STAMP, digest);
}

/** Programs of the server's threads: the same code as the application's, without its interface. */
async function buildThreads() {
  const { build } = await import("esbuild");
  await build({
    entryPoints: ["fleet", "jobs", "bodies"].map((name) => ({
      in: join(ROOT, "src", "workers", `${name}.worker.ts`),
      out: name,
    })),
    outdir: join(ROOT, ".next", "workers"),
    outExtension: { ".js": ".mjs" },
    bundle: true,
    packages: "external",
    // Node finds no file by half its name.
    alias: { "comlink/dist/umd/node-adapter.js": "comlink/dist/esm/node-adapter.mjs" },
    platform: "node",
    format: "esm",
    target: "node20",
    logLevel: "warning",
  });
}

/** The program for bench hosts, one file that needs nothing but Node. */
async function buildBenchHost() {
  const { build } = await import("esbuild");
  await build({
    entryPoints: [join(ROOT, "src", "cli", "host", "entry.ts")],
    outfile: join(ROOT, ".next", "workers", "creel-bench.cjs"),
    bundle: true,
    minify: true,
    alias: { "@": join(ROOT, "src") },
    platform: "node",
    format: "cjs",
    target: "node20",
    banner: { js: "#!/usr/bin/env node" },
    logLevel: "warning",
  });
  if (process.platform === "linux" && process.arch === "x64") buildExecutable();
}

/** The same with Node in it, for computers without (Node.js, "Single executable applications"). */
function buildExecutable() {
  const folder = join(ROOT, ".next", "workers");
  const [program, blob, config] = ["creel-bench.cjs", "creel-bench.blob", "sea.json"].map((name) => join(folder, name));
  const [executable, made] = [join(folder, "creel-bench"), join(folder, "creel-bench.new")];
  writeFileSync(config, JSON.stringify({ main: program, output: blob, disableExperimentalSEAWarning: true }));
  const run = (args) => {
    const { status, stderr } = spawnSync(process.execPath, args, { encoding: "utf8" });
    const last = (stderr ?? "").trim().split("\n").at(-1);
    if (status !== 0) throw new Problem(`The program for bench hosts could not be made: ${last}`);
  };
  run(["--experimental-sea-config", config]);
  copyFileSync(process.execPath, made);
  chmodSync(made, 0o755);
  const postject = join(ROOT, "node_modules", "postject", "dist", "cli.js");
  run([postject, made, "NODE_SEA_BLOB", blob, "--sentinel-fuse", FUSE]);
  renameSync(made, executable);
  rmSync(blob);
}

/** By which a server at an address of its own machine is reached, where nobody said otherwise. */
function usualUrls(host, port) {
  const hosts = host === "127.0.0.1" ? [host, "localhost"] : [host.includes(":") ? `[${host}]` : host];
  return hosts.map((each) => `http://${each}:${port}`).join(",");
}

/**
 * Starts the built application, its output going to `logFile`, and waits until it answers. Gives its process.
 * `data`: the folder for what is too large for the database; `more`: further variables, such as the secret that sessions
 * are signed with, without which they end with the server.
 */
export async function serve(port, databaseUrl, logFile, data, { host = "127.0.0.1", more = {} } = {}) {
  const output = openSync(logFile, "a", 0o600);
  const server = spawn(process.execPath, [next, "start", "-p", String(port), "-H", host], {
    cwd: ROOT,
    env: {
      ...env,
      ...{ DATABASE_URL: databaseUrl, CREEL_DATA: data, NODE_ENV: "production" },
      CREEL_URL: env.CREEL_URL || usualUrls(host, port),
      CREEL_SECRET: env.CREEL_SECRET || randomBytes(32).toString("base64url"),
      ...more,
      // Only what prepared the database needs the account that owns it.
      DATABASE_OWNER_URL: "",
      // The application ends by itself, once it has handed its work back: src/instrumentation.ts.
      NEXT_MANUAL_SIG_HANDLE: "1",
    },
    stdio: ["ignore", output, output],
    detached: true,
  });
  // Every address of the machine is asked by the one that it always has.
  const asked = host === "0.0.0.0" || host === "::" ? "127.0.0.1" : host.includes(":") ? `[${host}]` : host;
  let ended = false;
  server.once("exit", () => {
    ended = true;
  });
  for (const end = Date.now() + 60_000; ; await sleep(100)) {
    if (ended || Date.now() > end)
      throw new Problem(`The web application did not come up; its last words are in ${logFile}.`);
    try {
      const answer = await fetch(`http://${asked}:${port}/health`, { signal: AbortSignal.timeout(2000) });
      if (answer.ok) break;
    } catch {
      // Not up yet.
    }
  }
  return server;
}

const ENDS_WITHIN_MS = 6_000;

/** Asks a server that `serve` started to end, and waits until it has. */
export async function endServer(server) {
  if (!server || server.exitCode !== null || server.signalCode !== null) return;
  const gone = new Promise((resolve) => server.once("exit", resolve));
  server.kill("SIGTERM");
  const late = setTimeout(() => server.kill("SIGKILL"), ENDS_WITHIN_MS);
  await gone;
  clearTimeout(late);
}

/** Runs one of the project's TypeScript scripts to its end. */
export function runScript(path, args, extraEnv = {}) {
  const tsx = join(ROOT, "node_modules", "tsx", "dist", "cli.mjs");
  return (
    spawnSync(process.execPath, [tsx, join(ROOT, path), ...args], {
      cwd: ROOT,
      env: { ...env, ...extraEnv },
      stdio: "inherit",
    }).status ?? 1
  );
}
