import { execFile } from "node:child_process";
import { createServer, type IncomingMessage, type Server } from "node:http";
import { join } from "node:path";
import { tempWorkshop } from "../support/workshop";

// The command line, asking a server that does what networks and servers do. The real one: `test/browser/api.spec.ts`.
const w = tempWorkshop();
const PROGRAM = join(__dirname, "..", "..", "scripts", "creel.mjs");
const asked: { method: string; url: string; headers: IncomingMessage["headers"]; body: string }[] = [];
let answers: { status: number; body: string; headers?: Record<string, string> }[] = [];
let server: Server;
let address: string;

beforeAll(async () => {
  server = createServer((request, response) => {
    const parts: Buffer[] = [];
    request.on("data", (part: Buffer) => parts.push(part));
    request.on("end", () => {
      const { method = "", url = "", headers } = request;
      asked.push({ method, url, headers, body: Buffer.concat(parts).toString() });
      const { status, body, headers: more = {} } = answers.shift() ?? { status: 500, body: "" };
      if (status === 0) request.socket.destroy();
      else response.writeHead(status, { "content-type": "application/json", ...more }).end(body);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const told = server.address();
  address = `http://127.0.0.1:${typeof told === "object" ? told?.port : 0}`;
});
afterAll(() => server.close());
beforeEach(() => {
  asked.length = 0;
  answers = [];
});

function creel(
  args: string[],
  env: Record<string, string> = {},
): Promise<{ status: number; out: string; err: string }> {
  return new Promise((resolve) => {
    const given = { ...process.env, CREEL_SERVER: "", CREEL_TOKEN: "", ...env };
    execFile(process.execPath, [PROGRAM, ...args], { env: given, cwd: w.folder }, (error, out, err) =>
      resolve({ status: error ? Number(error.code) : 0, out, err }),
    );
  });
}
const ask = (...args: string[]) => creel([...args, "--server", address, "--token", "creel_abc"]);
const ok = (value: unknown) => ({ status: 200, body: JSON.stringify(value) });
const RELEASES = { items: [{ id: 1, kit: "Lantern", name: "12", madeOn: null }] };

test("prints what a server answers, in columns or a line each, and asks with the token", async () => {
  answers = [ok(RELEASES), ok(RELEASES)];
  expect(await ask("releases")).toEqual({ status: 0, out: "Lantern  12  –\n", err: "" });
  expect((await ask("releases", "--json")).out).toBe(`${JSON.stringify(RELEASES.items[0])}\n`);
  expect(asked[0]).toMatchObject({ url: "/api/v1/releases", headers: { authorization: "Bearer creel_abc" } });
});

test("what it is asked for goes into the address, letter by letter", async () => {
  answers = [ok({ items: [] }), ok({ items: [], total: 70, page: 2 })];
  await ask("pair", "RM/01", "../HO 1?");
  const paged = await ask("computers", "--site", "North Pier & co", "--page", "2");
  expect(asked.map(({ url }) => url)).toEqual([
    "/api/v1/media/RM%2F01/computers/..%2FHO%201%3F",
    "/api/v1/computers?site=North+Pier+%26+co&page=2",
  ]);
  expect(paged.err).toBe("Page 2, 0 of 70. Next: --page 3\n");
});

test("a report is sent again where the server did not answer, as the same one", async () => {
  const body = JSON.stringify({ schema: "creel.facts/1" });
  const file = w.text("facts.json", body);
  answers = [{ status: 0, body: "" }, { status: 503, body: "" }, ok({ tag: "HO-001", changes: 1 })];
  expect(await ask("facts", "HO-001", file)).toEqual({ status: 0, out: "HO-001: its facts were changed.\n", err: "" });
  expect(asked.map((each) => [each.method, each.body])).toEqual([1, 2, 3].map(() => ["POST", body]));
  expect(new Set(asked.map(({ headers }) => headers["idempotency-key"])).size).toBe(1);
});

test("a refusal is told in the server's words; nothing odd in them reaches the terminal", async () => {
  const problem = {
    type: "urn:creel:problem:not-found",
    title: "not found",
    status: 404,
    detail: "No computer \u001b[31mX.",
  };
  answers = [
    { status: 404, body: JSON.stringify(problem) },
    { status: 200, body: "<html>" },
    { status: 500, body: "" },
  ];
  const refused = await ask("routes", "X");
  expect([refused.status, refused.err.includes("No computer"), refused.err.includes("\u001b")]).toEqual([
    2,
    true,
    false,
  ]);
  expect((await ask("releases")).err).toContain("in a form that this Creel does not know");
  expect((await ask("releases")).err).toContain("status 500");
});

test("a token goes nowhere else, and what is missing is a sentence", async () => {
  answers = [{ status: 302, body: "", headers: { location: "http://127.0.0.1:1/" } }];
  for (let left = 0; left < 3; left++)
    answers.push({ status: 302, body: "", headers: { location: "http://127.0.0.1:1/" } });
  expect((await ask("releases")).err).toContain("was not reached");
  expect((await creel(["releases"])).err).toBe("creel: which server? Give --server URL, or set CREEL_SERVER.\n");
  expect((await creel(["releases", "--server", "ftp://x"])).err).toContain("no address of a server");
  expect((await creel(["releases"], { CREEL_SERVER: address })).err).toContain("which token?");
  expect((await creel(["releases", "--server", address, "--token", "a\nb"])).err).toContain(
    "letters that no token has",
  );
  expect((await creel(["facts", "HO-001"])).status).toBe(2);
  // By the environment, and by a file that no list of processes shows.
  answers = [ok(RELEASES), ok(RELEASES)];
  expect((await creel(["releases"], { CREEL_SERVER: address, CREEL_TOKEN: "creel_env" })).status).toBe(0);
  const file = w.text("token", "creel_file\n");
  expect((await creel(["releases", "--server", address, "--token-file", file])).status).toBe(0);
  expect(asked.slice(-2).map(({ headers }) => headers.authorization)).toEqual([
    "Bearer creel_env",
    "Bearer creel_file",
  ]);
});
