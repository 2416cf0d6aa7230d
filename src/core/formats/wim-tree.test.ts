import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource, readExactly } from "../kernel/source";
import { findEntry, walk } from "./file-tree";
import { WimArchive, type WimTree } from "./wim-tree";

// Reference: wimlib, which packs what is read here. The contents are those of the folder that it was given.
const w = tempWorkshop();
const roll = dice(21);
const some = (count: number, make: (nth: number) => number) =>
  Uint8Array.from({ length: count }, (_, nth) => make(nth));
const FILES: Record<string, Uint8Array> = {
  "empty.txt": new Uint8Array(0),
  "one.bin": new Uint8Array([7]),
  "Sub folder/réglage ünïcode.ini": new TextEncoder().encode("[a]\nb=c\n".repeat(9_000)),
  "Sub folder/deeper/random.bin": some(200_003, () => roll(256)),
  "Sub folder/deeper/zeros.bin": new Uint8Array(1 << 20),
  "calls.exe": some(400_000, (nth) => (nth % 7 === 0 ? 0xe8 : nth % 7 === 4 ? 0 : roll(12) + (nth % 5) * 3)),
  "ramp.bin": some(300_000, (nth) => (nth * nth) >> 9),
  // A real program: what packers are made for.
  "node-part.bin": new Uint8Array(readFileSync(process.execPath).subarray(5_000_000, 7_500_000)),
};
for (let nth = 0; nth < 300; nth++) {
  const [kind, length] = [roll(4), roll(9) === 0 ? roll(90_000) : roll(3_000)];
  const width = 1 + roll(30);
  FILES[`many/${nth}.dat`] = some(length, (at) =>
    kind === 0
      ? roll(256)
      : kind === 1
        ? roll(3)
        : kind === 2
          ? at % width
          : roll(20) === 0
            ? roll(256)
            : 65 + (at % width),
  );
}
const folder = w.path("tree");
for (const [path, bytes] of Object.entries(FILES)) {
  mkdirSync(join(folder, path, ".."), { recursive: true });
  writeFileSync(join(folder, path), bytes);
}
symlinkSync("Sub folder/deeper/zeros.bin", join(folder, "link to zeros"));
writeFileSync(join(folder, "same as one.bin"), FILES["one.bin"] as Uint8Array);
mkdirSync(join(folder, "nothing in it"));

function packed(name: string, ...options: string[]): string {
  const path = w.path(name);
  run("wimcapture", [folder, path, name, "--quiet", ...options]);
  return path;
}

async function treeOf(path: string, image = 1): Promise<WimTree> {
  const tree = await (await WimArchive.open(memory(path)))?.image(image);
  if (!tree) throw new Error(`${path} was not opened`);
  return tree;
}

async function contentOf(tree: WimTree, path: string): Promise<Uint8Array | null> {
  const entry = await findEntry(tree, path);
  const source = entry && (await tree.open(entry));
  return source && readExactly(source, 0, source.sizeBytes);
}

describe.each([
  ["none", ["--compress=none"]],
  ["XPRESS", ["--compress=XPRESS"]],
  ["XPRESS, small chunks", ["--compress=XPRESS", "--chunk-size=4096"]],
  ["XPRESS, large chunks", ["--compress=XPRESS", "--chunk-size=65536"]],
  ["LZX", ["--compress=LZX"]],
  ["LZX, thorough", ["--compress=LZX:100"]],
  ["LZX, quick", ["--compress=LZX:20"]],
  ["LZX, large chunks", ["--compress=LZX", "--chunk-size=2097152"]],
  ["LZX, chunks of 64 KiB", ["--compress=LZX", "--chunk-size=65536"]],
  ["LZMS", ["--compress=LZMS"]],
  ["LZMS, small chunks", ["--compress=LZMS", "--chunk-size=32768"]],
  ["LZMS, one large chunk", ["--compress=LZMS", "--chunk-size=16777216"]],
  ["LZMS, quick", ["--compress=LZMS:20"]],
  ["LZMS, thorough", ["--compress=LZMS:100"]],
  ["LZMS, as one", ["--solid"]],
  ["LZMS, as one in several chunks", ["--solid", "--solid-chunk-size=131072"]],
  ["LZX, as one", ["--solid", "--solid-compress=LZX"]],
  ["XPRESS, as one", ["--solid", "--solid-compress=XPRESS", "--solid-chunk-size=65536"]],
  ["LZX, to be read from a pipe", ["--pipable", "--compress=LZX"]],
  ["XPRESS, to be read from a pipe", ["--pipable", "--compress=XPRESS", "--chunk-size=4096"]],
  ["nothing, to be read from a pipe", ["--pipable", "--compress=none"]],
])("an archive packed with %s", (name, options) => {
  const path = packed(`${name}.wim`, ...options);

  test("has every file as it is, with its size", async () => {
    const tree = await treeOf(path);
    for (const [own, bytes] of Object.entries(FILES)) {
      const entry = await findEntry(tree, own);
      expect([own, entry?.sizeBytes]).toEqual([own, bytes.length]);
      const content = await contentOf(tree, own);
      expect([own, content && Buffer.compare(content, bytes)]).toEqual([own, 0]);
    }
  });

  test("is whole by the digests of its contents; what is changed in it is found", async () => {
    const bytes = new Uint8Array(readFileSync(path));
    const open = () => WimArchive.open(new MemorySource(bytes));
    expect(await (await open())?.damaged()).toEqual([]);
    // Behind the header and before the table: content of one file or another.
    bytes[20_000] = (bytes[20_000] as number) ^ 0x20;
    expect((await (await open())?.damaged())?.length).toBeGreaterThan(0);
    expect(await (await open())?.damaged(() => false)).toBeNull();
  });

  test("is read from anywhere, over the edges of its chunks", async () => {
    const tree = await treeOf(path);
    const bytes = FILES["node-part.bin"] as Uint8Array;
    const entry = await findEntry(tree, "node-part.bin");
    const source = entry && (await tree.open(entry));
    for (const [at, length] of [
      [32_760, 20],
      [0, 1],
      [2_499_999, 9],
      [1_000_000, 200_000],
      [65_536, 32_768],
    ] as const)
      expect(Buffer.compare((await source?.read(at, length)) as Uint8Array, bytes.subarray(at, at + length))).toBe(0);
  });
});

test("folders are listed as wimlib lists them; links lead where they led", async () => {
  const path = packed("list.wim", "--compress=LZX");
  const tree = await treeOf(path);
  const own: string[] = [];
  for await (const { path: found } of walk(tree, null, { entries: 10_000, onCut: () => {} })) own.push(found);
  const told = run("wimdir", [path, "1"])
    .split("\n")
    .filter((line) => line.length > 1);
  expect(own.map((each) => `/${each.replace(/^\//, "")}`).sort()).toEqual(told.sort());
  expect((await findEntry(tree, "nothing in it"))?.directory).toBe(true);
  const [link] = (await tree.list(null)).filter(({ name }) => name === "link to zeros");
  expect(link).toMatchObject({ link: "Sub folder/deeper/zeros.bin", directory: false });
  const sum = run("wimdir", [path, "1", "--path=/one.bin", "--detailed"]);
  expect(sum).toContain((await findEntry(tree, "one.bin"))?.sha1?.slice(0, 40) ?? "none");
});

test("of several images each has its own files", async () => {
  const path = packed("two.wim");
  mkdirSync(w.path("other"), { recursive: true });
  writeFileSync(w.path("other/only here.txt"), "second");
  run("wimappend", [w.path("other"), path, "Second", "--quiet"]);
  const archive = await WimArchive.open(memory(path));
  expect(archive?.images).toBe(2);
  const second = await treeOf(path, 2);
  expect(await contentOf(second, "only here.txt")).toEqual(new TextEncoder().encode("second"));
  expect(await findEntry(second, "calls.exe")).toBeNull();
  expect(await archive?.image(3)).toBeNull();
});

test("what is in another part is not taken for something else, and is there once the parts are together", async () => {
  expect(await WimArchive.open(new MemorySource(new Uint8Array(4096)))).toBeNull();
  run("wimsplit", [packed("whole.wim", "--compress=none"), w.path("part.swm"), "1"]);
  const states = async (tree: WimTree | null | undefined) => {
    const found = new Set<string>();
    if (!tree) return found;
    for await (const { entry } of walk(tree, null, { entries: 10_000, onCut: () => {} }))
      if (!entry.directory) found.add(entry.unreadable ?? "read");
    return found;
  };
  expect(await states(await treeOf(w.path("part.swm")))).toEqual(new Set(["read", "elsewhere"]));
  const names = readdirSync(w.folder).filter((name) => /^part\d+\.swm$/.test(name));
  const others = names.map((name) => memory(w.path(name)));
  expect(others.length).toBeGreaterThan(2);
  const stranger = memory(packed("stranger.wim", "--compress=none"));
  const whole = await WimArchive.open(memory(w.path("part.swm")), [stranger, ...others.reverse()]);
  expect(await states(await whole?.image(1))).toEqual(new Set(["read"]));
  expect(await whole?.damaged()).toEqual([]);
  const tree = (await whole?.image(1)) as WimTree;
  for (const [own, bytes] of Object.entries(FILES)) {
    const content = await contentOf(tree, own);
    expect([own, content && Buffer.compare(content, bytes)]).toEqual([own, 0]);
  }
});

test("programs, whose addresses were made absolute, come back to the byte", async () => {
  const own = w.path("programs");
  mkdirSync(own);
  // What this machine runs: x86 code with calls, jumps and addresses of all kinds.
  for (const [nth, name] of ["/bin/bash", "/usr/bin/qemu-img", "/usr/bin/xorriso", "/usr/bin/mcopy"].entries())
    if (existsSync(name)) copyFileSync(name, join(own, `${nth}.bin`));
  writeFileSync(join(own, "node.bin"), readFileSync(process.execPath).subarray(20_000_000, 22_000_000));
  for (const options of [["--compress=LZMS", "--chunk-size=1048576"], ["--solid"]]) {
    const path = w.path(`programs-${options.length}.wim`);
    run("wimcapture", [own, path, "programs", "--quiet", ...options]);
    expect(await (await WimArchive.open(memory(path)))?.damaged()).toEqual([]);
  }
});

test("numbers in tables, which follow each other by their differences, come back to the byte", async () => {
  const own = w.path("numbers");
  mkdirSync(own);
  for (const width of [1, 2, 3, 4, 8, 16, 24]) {
    const bytes = new Uint8Array(300_000);
    const view = new DataView(bytes.buffer);
    for (let at = 0; at + width + 4 < bytes.length; at += width)
      view.setUint32(at, (at * 2_654_435_761 + roll(3)) >>> 0, true);
    writeFileSync(join(own, `${width}.bin`), bytes);
    writeFileSync(
      join(own, `wave-${width}.bin`),
      some(200_000, (nth) => 128 + 100 * Math.sin(Math.floor(nth / width) / 9)),
    );
  }
  const path = w.path("numbers.wim");
  run("wimcapture", [own, path, "numbers", "--quiet", "--compress=LZMS:100", "--chunk-size=262144"]);
  expect(await (await WimArchive.open(memory(path)))?.damaged()).toEqual([]);
});

test.each([
  ["LZX", ["--compress=LZX"]],
  ["XPRESS", ["--compress=XPRESS"]],
  ["LZMS", ["--compress=LZMS"]],
  ["LZMS, as one", ["--solid", "--solid-chunk-size=131072"]],
  ["LZX, to be read from a pipe", ["--pipable", "--compress=LZX"]],
])("damage ends what is read of an archive packed with %s, and never throws", async (name, options) => {
  const bytes = readFileSync(packed(`damage ${name}.wim`, ...options));
  const throws = dice(5);
  let read = 0;
  for (let round = 0; round < 40; round++) {
    const archive = await WimArchive.open(new MemorySource(damaged(new Uint8Array(bytes), throws)));
    const tree = await archive?.image(1);
    if (!tree) continue;
    let left = 60;
    for await (const { entry } of walk(tree, null, { entries: 400, onCut: () => {} })) {
      if (entry.directory || left-- <= 0) continue;
      const source = await tree.open(entry as never);
      const content = await source?.read(0, 200_000);
      if (content) read++;
      expect((content?.length ?? 0) <= Math.max(0, entry.sizeBytes)).toBe(true);
    }
  }
  expect(read).toBeGreaterThan(100);
});
