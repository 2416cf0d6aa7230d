import { spawn, spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { readFacts } from "@/core/computer/facts/schema";
import { tempWorkshop } from "../support/workshop";

const COLLECTOR = join(__dirname, "..", "..", "collect", "creel-collect.sh");
const TOKEN = `creel_${"t".repeat(43)}`;
const w = tempWorkshop();

/** A server that takes reports, and what it was sent. */
async function listening(status = 200) {
  const sent: { path: string; token: string; body: string }[] = [];
  const server = createServer((request, response) => {
    const pieces: Buffer[] = [];
    request.on("data", (piece) => pieces.push(piece));
    request.on("end", () => {
      const token = request.headers.authorization ?? "";
      sent.push({ path: request.url ?? "", token, body: Buffer.concat(pieces).toString() });
      response.writeHead(status, { "content-type": "application/json" });
      response.end(
        JSON.stringify(status === 200 ? { text: "Waits to be accepted." } : { detail: "Not good any more." }),
      );
    });
  });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  return { sent, address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, close: () => server.close() };
}

function collector(args: string[], env: Record<string, string> = {}, input = "") {
  const cwd = w.path(`cwd-${Math.random().toString(36).slice(2)}`);
  mkdirSync(cwd);
  return new Promise<{ status: number | null; stderr: string; cwd: string }>((resolve) => {
    const child = spawn("sh", input ? ["-s", "--", ...args] : [COLLECTOR, ...args], {
      cwd,
      env: { ...process.env, ...env },
    });
    let stderr = "";
    child.stderr.on("data", (piece) => {
      stderr += piece;
    });
    child.on("close", (status) => resolve({ status, stderr, cwd }));
    // It may end before it has read what is sent to it.
    child.stdin.on("error", () => {});
    child.stdin.end(input);
  });
}

test.each([["curl"], ["wget"]])("what was collected is sent by %s, and nothing stays behind", async (tool) => {
  const other = { curl: "wget", wget: "curl" }[tool] as string;
  // The other one is not there.
  const folder = w.path(`without-${other}`);
  mkdirSync(folder);
  const names =
    "sh dd od awk sed tr mktemp rm mv cat head cut date uname iconv base64 readlink grep sort ls printf wc".split(" ");
  for (const name of [...names, tool]) {
    const found = spawnSync("sh", ["-c", `command -v ${name}`], { encoding: "utf8" }).stdout.trim();
    if (found.startsWith("/")) writeFileSync(join(folder, name), `#!/bin/sh\nexec ${found} "$@"\n`, { mode: 0o755 });
  }
  const server = await listening();
  const script = readFileSync(COLLECTOR, "utf8").replace(/^PATH=.*$/m, `PATH=${folder}`);
  const { status, stderr, cwd } = await collector(["--send", server.address, "--token", TOKEN], {}, script);
  server.close();
  expect([status, stderr]).toEqual([0, "creel-collect.sh: Waits to be accepted.\n"]);
  expect(server.sent.map(({ path, token }) => [path, token])).toEqual([["/api/v1/facts", `Bearer ${TOKEN}`]]);
  expect(readFacts(server.sent[0]?.body ?? "")).toMatchObject({ ok: true });
  expect(readdirSync(cwd)).toEqual([]);
});

test("what could not be sent is kept in a file, readable by its owner alone, with what was said against it", async () => {
  const server = await listening(401);
  const refused = await collector(["--send", server.address, "--token", TOKEN]);
  server.close();
  expect(refused.status).toBe(1);
  expect(refused.stderr).toMatch(
    /Not good any more\.\n.*not sent\. The facts are in creel-facts-\d+-\d+\.json: import/,
  );
  const [name] = readdirSync(refused.cwd);
  const kept = join(refused.cwd, name as string);
  expect(readFacts(readFileSync(kept, "utf8"))).toMatchObject({ ok: true });
  expect(statSync(kept).mode & 0o077).toBe(0);
  const gone = await collector(["--send", "http://127.0.0.1:9", "--token", TOKEN, "--output", "later.json"]);
  expect(gone.status).toBe(1);
  expect(readdirSync(gone.cwd)).toEqual(["later.json"]);
});

test.each([
  [["--send", "ftp://x", "--token", TOKEN], "no address"],
  [["--send", "https://x", "--token", "a b;rm"], "no token of Creel"],
  [["--token-file", "/not/there"], "cannot be read"],
])("wrong usage %j is told in a line", async (args, said) => {
  const { status, stderr } = await collector(args);
  expect(status).toBe(1);
  expect(stderr).toMatch(/^creel-collect\.sh: .*\n$/);
  expect(stderr).toContain(said);
});

test("one that is killed while it waits for an answer leaves nothing behind", async () => {
  const temp = w.path("temp");
  mkdirSync(temp);
  const server = createServer(() => {});
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const asked = new Promise<void>((done) => server.on("request", () => done()));
  const child = spawn("sh", [COLLECTOR, "--send", address, "--token", TOKEN], {
    ...{ cwd: temp, env: { ...process.env, TMPDIR: temp }, detached: true },
  });
  const ended = new Promise<void>((done) => child.on("close", () => done()));
  await asked;
  expect(readdirSync(temp).length).toBeGreaterThan(0);
  process.kill(-(child.pid as number), "SIGTERM");
  await ended;
  server.closeAllConnections();
  server.close();
  expect(readdirSync(temp)).toEqual([]);
});

test("a script that came only in part does nothing", async () => {
  const server = await listening();
  const script = readFileSync(COLLECTOR, "utf8");
  const half = script.slice(0, script.indexOf("# At the very end"));
  const { stderr, cwd } = await collector(["--send", server.address, "--token", TOKEN], {}, half);
  server.close();
  expect([stderr, server.sent, readdirSync(cwd)]).toEqual(["", [], []]);
});

describe("each week", () => {
  const systemctl = (root: string) => {
    const folder = join(root, "bin");
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, "systemctl"), `#!/bin/sh\necho "$@" >>${root}/systemctl.log\n`);
    chmodSync(join(folder, "systemctl"), 0o755);
    return { CREEL_COLLECT_PREFIX: root, PATH: `${folder}:${process.env.PATH}` };
  };
  const prepared = (name: string) => {
    const root = w.path(name);
    for (const folder of ["etc/systemd/system", "run/systemd/system", "usr/local/lib"])
      mkdirSync(join(root, folder), { recursive: true });
    return root;
  };
  const files = (root: string) =>
    readdirSync(root, { recursive: true, encoding: "utf8" })
      .filter((path) => statSync(join(root, path)).isFile() && !/^(bin|systemctl)/.test(path))
      .sort();

  test("a timer, a script and a token are left, all that they need, and taken away again", async () => {
    const root = prepared("weekly");
    const env = systemctl(root);
    const served = w.text("served.sh", readFileSync(COLLECTOR, "utf8").replace(/^TOKEN=$/m, `TOKEN=${TOKEN}`));
    const { status, stderr } = spawnSync("sh", [served, "--schedule", "--send", "https://creel.example"], {
      ...{ env: { ...process.env, ...env }, encoding: "utf8" },
    });
    expect([status, stderr]).toEqual([0, expect.stringContaining("reports each week")]);
    const kept = "usr/local/lib/creel";
    expect(files(root)).toEqual([
      ...["etc/systemd/system/creel-collect.service", "etc/systemd/system/creel-collect.timer"],
      ...[`${kept}/creel-collect.sh`, `${kept}/token`],
    ]);
    expect(statSync(join(root, kept, "token")).mode & 0o077).toBe(0);
    expect(statSync(join(root, kept)).mode & 0o077).toBe(0);
    // The token is nowhere else.
    const holding = files(root).filter((path) => readFileSync(join(root, path), "utf8").includes(TOKEN));
    expect(holding).toEqual([`${kept}/token`]);
    // What the timer calls does report.
    const server = await listening();
    const unit = readFileSync(join(root, "etc/systemd/system/creel-collect.service"), "utf8");
    const line = /^ExecStart=(.*)$/m.exec(unit)?.[1]?.replace("https://creel.example", server.address) ?? "";
    await new Promise((done) => spawn("sh", ["-c", line]).on("close", done));
    server.close();
    expect(server.sent.map(({ token }) => token)).toEqual([`Bearer ${TOKEN}`]);
    expect(spawnSync("sh", [served, "--unschedule"], { env: { ...process.env, ...env } }).status).toBe(0);
    expect([files(root), existsSync(join(root, kept))]).toEqual([[], false]);
    expect(readFileSync(join(root, "systemctl.log"), "utf8").trim().split("\n")).toEqual([
      ...["daemon-reload", "enable --now creel-collect.timer"],
      ...["disable --now creel-collect.timer", "daemon-reload"],
    ]);
  });

  test("where systemd does not run it says so, and leaves nothing", () => {
    const root = w.path("without");
    mkdirSync(root);
    const { status, stderr } = spawnSync(
      "sh",
      [COLLECTOR, "--schedule", "--send", "https://a.example", "--token", TOKEN],
      {
        ...{ env: { ...process.env, CREEL_COLLECT_PREFIX: root }, encoding: "utf8" },
      },
    );
    expect(status).toBe(1);
    expect(stderr).toContain("systemd does not run here");
    expect(files(root)).toEqual([]);
  });
});
