import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { wimFaultText } from "../words/archives";
import { checkWimIntegrity, readWim, type Wim } from "./wim";

// Reference: wimlib, which writes the archives and says what is in them.
const w = tempWorkshop();
const at = (name: string) => w.path(name);
run("mkdir", ["-p", at("tree/Windows")]);
for (let i = 0; i < 40; i++) w.text(`tree/file${i}.txt`, `${i} `.repeat(30_000));

const PROPERTIES = {
  "WINDOWS/ARCH": "9",
  "WINDOWS/PRODUCTNAME": "Halyard & Sons <System>",
  "WINDOWS/EDITIONID": "Bosun",
  "WINDOWS/INSTALLATIONTYPE": "Client",
  "WINDOWS/LANGUAGES/LANGUAGE": "en-GB",
  "WINDOWS/LANGUAGES/DEFAULT": "en-GB",
  "WINDOWS/VERSION/MAJOR": "10",
  "WINDOWS/VERSION/MINOR": "0",
  "WINDOWS/VERSION/BUILD": "26100",
  "WINDOWS/VERSION/SPBUILD": "1742",
};
const install = at("install.wim");
run("wimcapture", [at("tree"), install, "Halyard Bosun", "A description", "--check", "--quiet"]);
run("wimappend", [at("tree"), install, "Second", "--check", "--quiet"]);
run("wiminfo", [install, "2", "--boot", "--check"]);
for (const [name, value] of Object.entries(PROPERTIES))
  run("wiminfo", [install, "1", `--image-property=${name}=${value}`, "--check"]);
const shrink = (name: string, options: string[]) => {
  run("wimexport", [install, "all", at(name), "--quiet", ...options]);
  return at(name);
};

const wimOf = async (path: string) => (await readWim(memory(path))) as Wim;
/** "Key:   value" lines of wiminfo; the first block is the archive's own. */
const told = (path: string) =>
  Object.fromEntries(
    [...run("wiminfo", [path, "--header"]).matchAll(/^([\w ]+?) *= (.*)$/gm)].map((each) => each.slice(1)),
  );

test("an archive's images, as wimlib tells them", async () => {
  const wim = await wimOf(install);
  expect(wim).toMatchObject({ part: 1, parts: 1, imageCount: 2, startIndex: 2, hasIntegrityTable: true, faults: [] });
  expect(wim.images[0]).toMatchObject({
    index: 1,
    name: "Halyard Bosun",
    description: "A description",
    edition: "Bosun",
    version: "10.0.26100.1742",
    build: 26100,
    arch: "x64",
    languages: ["en-GB"],
    defaultLanguage: "en-GB",
    installationType: "Client",
    productName: "Halyard & Sons <System>",
    startable: false,
  });
  expect(wim.images[1]).toMatchObject({ index: 2, name: "Second", startable: true, version: null });
  const info = run("wiminfo", [install, "1"]);
  const number = (key: string) => Number(new RegExp(`^${key}: +(\\d+)`, "m").exec(info)?.[1]);
  expect(wim.images[0]?.files).toBe(number("File Count"));
  expect(wim.images[0]?.folders).toBe(number("Directory Count"));
  expect(wim.images[0]?.bytes).toBe(number("Total Bytes"));
  expect(`0x${wim.guid.replaceAll("-", "").slice(0, 8)}`).toMatch(/^0x[0-9a-f]{8}$/);
});

test.each<[string, string[], Partial<Wim>]>([
  ["plain.wim", ["--compress=none"], { compression: "none", solid: false }],
  ["fast.wim", ["--compress=fast"], { compression: "xpress", solid: false }],
  ["maximum.wim", ["--compress=maximum"], { compression: "lzx", solid: false }],
  ["solid.esd", ["--solid"], { compression: "lzms", solid: true }],
  ["piped.wim", ["--pipable"], { compression: "lzx", solid: false }],
])("%s by wimexport %j", async (name, options, expected) => {
  const path = shrink(name, options);
  const wim = await wimOf(path);
  expect(wim).toMatchObject({ ...expected, faults: [], imageCount: 2 });
  expect(wim.images.map((each) => each.name)).toEqual(["Halyard Bosun", "Second"]);
  expect(Number(told(path)["Image Count"] ?? 2)).toBe(wim.imageCount);
});

test("the parts of a split archive belong together, and each says which it is", async () => {
  const path = shrink("whole.wim", ["--compress=none"]);
  run("wimsplit", [path, at("install.swm"), "1", "--quiet"]);
  const parts = [await wimOf(at("install.swm")), await wimOf(at("install2.swm"))];
  expect(parts.map((each) => each.part)).toEqual([1, 2]);
  expect(new Set(parts.map((each) => each.guid)).size).toBe(1);
  expect(parts[0]?.parts).toBeGreaterThan(1);
  expect(parts[0]?.images).toHaveLength(2);
});

test("the integrity table: whole, damaged where a byte was changed, or none", async () => {
  const bytes = new Uint8Array(readFileSync(install));
  const check = (changed: Uint8Array) => checkWimIntegrity(new MemorySource(changed));
  expect(await check(bytes)).toMatchObject({ state: "whole" });
  const changed = bytes.slice();
  changed[5000] = (changed[5000] as number) ^ 1;
  expect(await check(changed)).toMatchObject({ state: "damaged", damaged: [{ start: 208 }] });
  writeFileSync(at("changed.wim"), changed);
  expect(() => run("wimverify", [at("changed.wim"), "--quiet"])).toThrow();
  expect(await checkWimIntegrity(memory(shrink("unchecked.wim", [])))).toMatchObject({ state: "none" });
  expect(await checkWimIntegrity(new MemorySource(bytes), () => false)).toBeNull();
});

test("an archive cut short says so", async () => {
  const bytes = readFileSync(install);
  const cut = (await readWim(new MemorySource(new Uint8Array(bytes.subarray(0, bytes.length / 2))))) as Wim;
  expect(cut.faults.map(({ code }) => code)).toContain("cut-short");
  expect(cut.faults.map(wimFaultText).join(" ")).toContain("the file ends at");
  expect((await readWim(new MemorySource(new Uint8Array(bytes.subarray(0, 100)))))?.faults).toHaveLength(1);
});

test("damaged descriptions and headers end in faults", async () => {
  const bytes = new Uint8Array(readFileSync(install));
  const roll = dice(11);
  let [read, faulty] = [0, 0];
  for (let round = 0; round < 300; round++) {
    const tail = bytes.length - 6000;
    const changed = bytes.slice();
    changed.set(damaged(bytes.slice(tail), roll), tail);
    if (round % 2) changed.set(damaged(bytes.slice(8, 208), roll), 8);
    const wim = await readWim(new MemorySource(changed));
    expect(wim?.images.length ?? 0).toBeLessThan(1001);
    if (wim && wim.images.length > 0) read++;
    if (wim && wim.faults.length > 0) faulty++;
  }
  // Some are read all the same, and what is wrong with the others is told.
  expect(read).toBeGreaterThan(20);
  expect(faulty).toBeGreaterThan(50);
});
