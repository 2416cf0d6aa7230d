import { spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:net";
import { join } from "node:path";
import { tempWorkshop } from "../support/workshop";

const w = tempWorkshop();
const root = join(__dirname, "..", "..");

function script(name: string, args: string[], env: Record<string, string> = {}) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [join(root, "scripts", name), ...args], {
    encoding: "utf8",
    env: { ...process.env, ...env },
    timeout: 60_000,
  });
  return { status, stdout, stderr };
}

async function listen(): Promise<{ server: Server; port: number }> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return { server, port: (server.address() as { port: number }).port };
}

/** One sentence on standard error, exit code not 0, no stack trace. */
function expectSentence({ status, stderr }: { status: number | null; stderr: string }, text: RegExp): void {
  expect(status).toBe(1);
  expect(stderr.trim().split("\n")).toHaveLength(1);
  expect(stderr).toMatch(text);
}

describe("npm run demo", () => {
  test("says which port is in use, and what to do", async () => {
    const { server, port } = await listen();
    expectSentence(
      script("demo.mjs", [], { PORT: String(port) }),
      new RegExp(`^creel: Port ${port} is in use\\. End what uses it`),
    );
    server.close();
  });

  test.each([
    [["--frsh"], {}, /"--frsh" is not known here/],
    [[], { PORT: "many" }, /PORT is "many", which is not a port number/],
    [[], { PORT: "70000" }, /not a port number/],
  ] as [string[], Record<string, string>, RegExp][])("refuses %j %j", (args, env, text) => {
    expectSentence(script("demo.mjs", args, env), text);
  });
});

describe("npm start", () => {
  test.each([
    [["--fresh"], {}, /"--fresh" is not known here/],
    [[], { PORT: "0" }, /PORT is "0", which is not a port number/],
    [[], { HOST: "my machine" }, /HOST is "my machine", which is no address/],
  ] as [string[], Record<string, string>, RegExp][])("refuses %j %j", (args, env, text) => {
    expectSentence(script("start.mjs", args, env), text);
  });
});

test("npm test refuses a part that it does not have", () => {
  expectSentence(script("test.mjs", ["unit"]), /"unit" is no part of the tests\. They are: types, lint/);
});

/** A folder with programs that stand in for the real ones, first in the path. */
function standIns(programs: Record<string, string>): string {
  const folder = w.path(`bin-${Object.keys(programs).join("-")}`);
  mkdirSync(folder, { recursive: true });
  for (const [name, body] of Object.entries(programs)) {
    writeFileSync(join(folder, name), `#!/bin/sh\n${body}\n`);
    chmodSync(join(folder, name), 0o755);
  }
  return `${folder}:${process.env.PATH}`;
}

function inline(code: string, env: Record<string, string> = {}) {
  const file = w.text(`inline-${Math.abs(hash(code))}.mjs`, code.replaceAll("LIB", join(root, "scripts", "lib")));
  const { status, stdout, stderr } = spawnSync(process.execPath, [file], {
    encoding: "utf8",
    env: { ...process.env, ...env },
    timeout: 120_000,
  });
  return { status, stdout, stderr };
}

const hash = (text: string) => [...text].reduce((sum, char) => (sum * 31 + char.charCodeAt(0)) | 0, 7);

describe("Debian packages", () => {
  const code =
    'import { installDebianPackages } from "LIB/install.mjs"; import { runMain } from "LIB/problem.mjs"; await runMain(() => installDebianPackages(["coreutils", "no-such-package-here"]));';

  test("that cannot be installed are named in one sentence", () => {
    const PATH = standIns({ "apt-get": "echo 'E: Unable to locate package no-such-package-here' >&2; exit 100" });
    const told = inline(code, { PATH });
    expect(told.status).toBe(1);
    expect(told.stderr).toMatch(/no-such-package-here/);
    expect(told.stderr).not.toMatch(/coreutils|at .*\.mjs/);
  });

  test("that are there cost nothing", () => {
    const PATH = standIns({ "apt-get": "exit 99" });
    expect(inline(code.replace(', "no-such-package-here"', ""), { PATH }).status).toBe(0);
  });
});

describe("the private database", () => {
  const start = (folder: string, then: string) =>
    `import { startDatabase } from "LIB/database.mjs"; import { runMain } from "LIB/problem.mjs"; await runMain(async () => { const db = await startDatabase(${JSON.stringify(folder)}); ${then} });`;

  test("starts on loopback with a password of its own, keeps its data, and stops cleanly", () => {
    const folder = w.path("database");
    const first = inline(start(folder, "console.log(db.url); await db.stop();"));
    expect(first.stdout).toMatch(/^mysql:\/\/creel:[\w-]{20,}@127\.0\.0\.1:\d+\/creel\n$/);
    expect(existsSync(join(folder, "server.pid"))).toBe(false);
    const second = inline(start(folder, "console.log(db.url); await db.stop();"));
    const secret = (text: string) => /creel:([\w-]+)@/.exec(text)?.[1];
    expect(secret(second.stdout)).toBe(secret(first.stdout));
    expect(`${first.stderr}${second.stderr}`).toBe("");
  });

  test("that a killed run left behind is ended before the next one starts", () => {
    const folder = w.path("database");
    const killed = inline(start(folder, 'process.kill(process.pid, "SIGKILL");'));
    expect(killed.status).toBeNull();
    expect(existsSync(join(folder, "server.pid"))).toBe(true);
    const next = inline(start(folder, 'console.log("up"); await db.stop();'));
    expect(next).toMatchObject({ status: 0, stdout: "up\n" });
  });

  test("that does not come up is one sentence that names its log", () => {
    const folder = w.path("broken-database");
    const PATH = standIns({ mariadbd: "exit 1" });
    const told = inline(start(folder, ""), { PATH });
    expectSentence(told, /The database did not come up\. Its last words are in .*server\.log/);
  });
});
