import { readFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { CpioReader } from "./cpio";
import { readInitrd } from "./initrd";

// Reference: cpio of GNU, which writes the archives.
const w = tempWorkshop();
run("mkdir", ["-p", w.path("tree/a folder")]);
const CONTENT: Record<string, string> = {
  one: "1",
  "a folder/two": "22",
  three: "333",
  four: "4444",
  none: "",
  large: "x".repeat(70_000),
};
for (const [path, text] of Object.entries(CONTENT)) w.text(`tree/${path}`, text);
run("sh", [
  "-c",
  `cd ${w.path("tree")} && find . | cpio -o -H newc --quiet > ../a.cpio && find . | cpio -o -H crc --quiet > ../c.cpio`,
]);

function read(bytes: Uint8Array, step: number): { found: Record<string, string>; reader: CpioReader } {
  const found: Record<string, string> = {};
  const reader = new CpioReader(
    ({ path }) =>
      (content) => {
        found[path] = Buffer.from(content).toString();
      },
    1 << 20,
  );
  for (let at = 0; at < bytes.length; at += step) if (!reader.push(bytes.subarray(at, at + step))) break;
  return { found, reader };
}

test.each(["a.cpio", "c.cpio"])("%s: every file, in pieces of any size", (name) => {
  const bytes = new Uint8Array(readFileSync(w.path(name)));
  for (const step of [1, 3, 109, 110, 111, 4096, bytes.length]) expect(read(bytes, step).found).toEqual(CONTENT);
});

test("archives one after the other, with padding between; what follows and is none ends it there", () => {
  const bytes = readFileSync(w.path("a.cpio"));
  const two = new Uint8Array(Buffer.concat([bytes, Buffer.alloc(900), bytes, Buffer.from("\x1f\x8b rest")]));
  const { reader } = read(two, 4096);
  expect(reader.endedAt).toBe(bytes.length * 2 + 900);
  expect(reader.files).toBe(2 * (Object.keys(CONTENT).length + 3));
});

test("what nobody wants need not be read", async () => {
  const reader = new CpioReader(() => null, 1 << 20);
  const bytes = new Uint8Array(readFileSync(w.path("a.cpio")));
  let at = 0;
  let handed = 0;
  while (at < bytes.length) {
    const skip = Math.min(reader.skippable, bytes.length - at);
    if (skip > 0) {
      reader.skipped(skip);
      at += skip;
      continue;
    }
    reader.push(bytes.subarray(at, at + 64));
    at += 64;
    handed += 64;
  }
  expect(handed).toBeLessThan(10_000);
  expect(reader.files).toBe(Object.keys(CONTENT).length + 3);
});

test("names leave the archive nowhere, and what is too large is passed over", () => {
  run("sh", [
    "-c",
    `cd ${w.path("tree")} && find /usr/lib/os-release | cpio -o -H newc --quiet > ../abs.cpio 2>/dev/null`,
  ]);
  expect(Object.keys(read(new Uint8Array(readFileSync(w.path("abs.cpio"))), 512).found)[0] ?? "usr").not.toMatch(/^\//);
  const found: string[] = [];
  const reader = new CpioReader(
    ({ path }) =>
      () =>
        found.push(path),
    1000,
  );
  reader.push(new Uint8Array(readFileSync(w.path("a.cpio"))));
  expect(found.sort()).toEqual(
    Object.keys(CONTENT)
      .filter((path) => path !== "large")
      .sort(),
  );
});

test("random bytes, zeros and damage are no archive, or less of one", async () => {
  const limits = { contentBytes: 1 << 20, unpackedBytes: 1 << 24 };
  expect((await readInitrd(new MemorySource(new Uint8Array(50_000)), () => null, limits)).end).toBeNull();
  expect((await readInitrd(new MemorySource(Buffer.from("noise".repeat(999))), () => null, limits)).end).toBeNull();
  const bytes = new Uint8Array(readFileSync(w.path("a.cpio")));
  const roll = dice(5);
  for (let round = 0; round < 200; round++) read(damaged(bytes, roll), 1000);
  expect((await readInitrd(memory(w.path("a.cpio")), () => null, limits)).files).toBe(Object.keys(CONTENT).length + 3);
});
