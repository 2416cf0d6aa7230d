import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { type ByteSource, MemorySource } from "../kernel/source";
import { readWim } from "./wim";
import { joinedWim, splitWim } from "./wim-splitting";

// Reference: wimlib, which writes the archives, and verifies, applies and joins the parts.
const w = tempWorkshop();
const at = (name: string) => w.path(name);
run("mkdir", ["-p", at("tree/deep")]);
const roll = dice(7);
const digits = (count: number) => Array.from({ length: count }, () => roll(2 ** 31).toString(36)).join(" ");
for (let i = 0; i < 40; i++) w.text(`tree/${i % 3 ? "" : "deep/"}file${i}.txt`, digits(500 + i * 20));
writeFileSync(at("tree/empty"), "");
run("wimcapture", [at("tree"), at("install.wim"), "Halyard Bosun", "--check", "--quiet", "--compress=none"]);
w.text("tree/second.txt", digits(2_000));
run("wimappend", [at("tree"), at("install.wim"), "Second", "--check", "--quiet", "--boot"]);
run("wimexport", [at("install.wim"), "all", at("packed.wim"), "--compress=maximum", "--boot", "--quiet"]);
run("wimexport", [at("install.wim"), "all", at("solid.esd"), "--solid", "--quiet"]);
run("wimexport", [at("install.wim"), "all", at("piped.wim"), "--pipable", "--quiet"]);

const bytesOf = async (source: ByteSource) => Buffer.from(await source.read(0, source.sizeBytes));

/** Splits an archive, and writes its parts beside it under the names that Windows Setup looks for. */
async function split(name: string, mostBytes: number) {
  const result = await splitWim(memory(at(name)), mostBytes);
  if (!result.ok) throw new Error(result.why);
  const folder = at(`parts of ${name} by ${mostBytes}`);
  run("mkdir", ["-p", folder]);
  const paths: string[] = [];
  for (const [nth, part] of result.parts.entries()) {
    const path = `${folder}/install${nth === 0 ? "" : nth + 1}.swm`;
    writeFileSync(path, await bytesOf(part));
    paths.push(path);
  }
  return { parts: result.parts, paths, first: `${folder}/install.swm`, all: `${folder}/install*.swm` };
}

test.each([
  ["install.wim", 60_000],
  ["install.wim", 200_000],
  ["packed.wim", 40_000],
])("%s in parts of at most %i bytes: wimlib verifies, applies and joins them", async (name, mostBytes) => {
  const { parts, paths, first, all } = await split(name, mostBytes);
  expect(parts.length).toBeGreaterThan(1);
  for (const { sizeBytes } of parts) expect(sizeBytes).toBeLessThanOrEqual(mostBytes);
  run("wimverify", [first, `--ref=${all}`]);
  const applied = at(`applied ${name} ${mostBytes}`);
  run("wimapply", [first, "2", applied, `--ref=${all}`, "--quiet"]);
  run("diff", ["-r", at("tree"), applied]);
  run("wimjoin", [`${first}.joined`, ...paths]);
  run("wimverify", [`${first}.joined`]);
  for (const [nth, path] of paths.entries()) {
    const told = await readWim(memory(path));
    expect(told).toMatchObject({ part: nth + 1, parts: parts.length, imageCount: 2, startIndex: 2, faults: [] });
    expect(told?.images.map((image) => image.name)).toEqual(["Halyard Bosun", "Second"]);
  }
});

test("parts are put together again to the byte, its own sums included", async () => {
  for (const name of ["install.wim", "packed.wim"]) {
    const { parts } = await split(name, name === "packed.wim" ? 40_000 : 60_000);
    const joined = await joinedWim(parts);
    expect(joined && (await bytesOf(joined)).equals(readFileSync(at(name)))).toBe(true);
    expect(await joinedWim(parts.slice(0, -1))).toBeNull();
    expect(await joinedWim([...parts].reverse())).toBeNull();
  }
});

test("parts of another tool are not put together, since what was between them is gone", async () => {
  run("wimsplit", [at("install.wim"), at("other.swm"), "0.06"]);
  const names = readdirSync(at(".")).filter((name) => /^other\d*\.swm$/.test(name));
  expect(names.length).toBeGreaterThan(1);
  const sources = names.sort((a, b) => a.length - b.length || (a < b ? -1 : 1)).map((name) => memory(at(name)));
  expect(await joinedWim(sources)).toBeNull();
});

test("what cannot be split says why", async () => {
  const why = async (file: ByteSource, mostBytes = 60_000) => {
    const result = await splitWim(file, mostBytes);
    return result.ok ? `${result.parts.length} parts` : result.why;
  };
  expect(await why(memory(at("solid.esd")))).toBe("solid");
  expect(await why(memory(at("piped.wim")))).toBe("no-archive");
  expect(await why(new MemorySource(Buffer.from("no archive at all")))).toBe("no-archive");
  expect(await why(memory(at("install.wim")), 10_000)).toBe("too-coarse");
  expect(await why(memory(at("install.wim")), 100_000_000)).toBe("1 parts");
  const { paths } = await split("install.wim", 60_000);
  expect(await why(memory(paths[0] ?? ""))).toBe("is-part");
  const bytes = readFileSync(at("install.wim"));
  expect(await why(new MemorySource(bytes.subarray(0, bytes.length - 3000)))).toBe("damaged");
});

test("damaged archives end in a refusal, or in parts that reach nowhere outside", async () => {
  const bytes = readFileSync(at("packed.wim"));
  const hurt = dice(11);
  let split = 0;
  for (let i = 0; i < 300; i++) {
    const file = new MemorySource(damaged(new Uint8Array(bytes), hurt));
    const result = await splitWim(file, 40_000);
    if (!result.ok) continue;
    split++;
    for (const part of result.parts) expect((await part.read(0, part.sizeBytes)).length).toBe(part.sizeBytes);
    await joinedWim(result.parts);
  }
  expect(split).toBeGreaterThan(0);
});
