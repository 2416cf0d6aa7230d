import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { buildSync } from "esbuild";
import { readApart } from "./apart";

// What is sent is read in a thread: the real program, and ones that do what a hostile body might make it do.
const ROOT = join(__dirname, "..", "..", "..");
const FOLDER = join(ROOT, "node_modules", ".cache", `creel-bodies-${process.pid}`);
const PROGRAM = join(FOLDER, "bodies.mjs");
const UNREAD = { ok: false, problem: { code: "refused", why: { code: "body-unreadable" } } };

function program(name: string, text: string): string {
  const path = join(FOLDER, `${name}.mjs`);
  writeFileSync(path, text);
  return path;
}

beforeAll(() => {
  mkdirSync(FOLDER, { recursive: true });
  buildSync({
    entryPoints: [join(ROOT, "src", "workers", "bodies.worker.ts")],
    ...{ outfile: PROGRAM, bundle: true, packages: "external", platform: "node", format: "esm", target: "node20" },
    alias: { "comlink/dist/umd/node-adapter.js": "comlink/dist/esm/node-adapter.mjs" },
  });
});
afterAll(() => rmSync(FOLDER, { recursive: true, force: true }));

const file = { name: "a.iso", bytes: 2048, sha256: "0".repeat(64) };
const body = (value: unknown) => new Uint8Array(gzipSync(JSON.stringify(value)));
const manifest = { schema: "creel.manifest/1", file, blockBytes: 1 << 20, blocks: [file.sha256], volumes: [] };

test("the real program reads as this thread does, also what it refuses", async () => {
  expect(await readApart("manifest", body(manifest), { file: PROGRAM })).toMatchObject({ ok: true, value: { file } });
  for (const sent of [body(manifest), body({ ...manifest, schema: "other" }), body([]), new Uint8Array([1, 2, 3])]) {
    const here = await readApart("manifest", sent, { file: null });
    expect(await readApart("manifest", sent, { file: PROGRAM })).toEqual(here);
  }
});

test("what is a bomb once it is unpacked is refused", async () => {
  const bomb = new Uint8Array(gzipSync(Buffer.alloc(200 << 20, " ")));
  expect(bomb.length).toBeLessThan(1 << 20);
  expect(await readApart("contents", bomb, { file: PROGRAM })).toEqual(UNREAD);
  expect(await readApart("contents", bomb, { file: null })).toEqual(UNREAD);
});

test("a thread that comes to no end is ended; so is one that takes all memory, or breaks", async () => {
  const endless = program("endless", "for (;;);");
  const greedy = program("greedy", "const kept = []; for (;;) kept.push(new Array(1e5).fill({}));");
  const broken = program("broken", "throw new Error('no');");
  for (const file of [endless, greedy, broken])
    expect(await readApart("contents", body({}), { file, longestMs: 1_500 })).toEqual(UNREAD);
  // More of them than may run at once: each has its turn.
  const many = Array.from({ length: 5 }, () => readApart("contents", body({}), { file: broken }));
  expect(await Promise.all(many)).toEqual(Array.from({ length: 5 }, () => UNREAD));
});
