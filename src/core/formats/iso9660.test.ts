import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { readElTorito } from "./el-torito";
import { findEntry, type TreeEntry } from "./file-tree";
import { type IsoDescriptors, IsoTree, readIsoDescriptors } from "./iso9660";

const w = tempWorkshop();
const FILES = {
  "boot/esp.img": w.text("esp.txt", "E".repeat(30_000)),
  "boot/start.img": w.text("start.txt", "S".repeat(5000)),
  [`docs/${"long name ".repeat(9)}end.txt`]: w.text("long.txt", "long"),
  "docs/Ångström.txt": w.text("uni.txt", "unicode"),
};
// Reference: xorriso makes the image and lists it; 200 files make a directory of several sectors.
const many = Object.fromEntries(
  Array.from({ length: 200 }, (_, i) => [`many/file-${String(i).padStart(3, "0")}.dat`, w.text("dat.txt", "d")]),
);
const file = w.iso("tree.iso", { ...FILES, ...many }, [
  "-b",
  "boot/start.img",
  "-no-emul-boot",
  "-boot-load-size",
  "4",
  "-eltorito-alt-boot",
  "-e",
  "boot/esp.img",
  "-no-emul-boot",
]);

async function descriptors(): Promise<IsoDescriptors> {
  return (await readIsoDescriptors(memory(file))) as IsoDescriptors;
}

async function walk<E extends TreeEntry>(
  tree: { list(directory: E | null): Promise<E[]> },
  directory: E | null = null,
  path = "",
): Promise<string[]> {
  const paths: string[] = [];
  for (const entry of await tree.list(directory)) {
    paths.push(`${path}/${entry.name}`);
    if (entry.directory) paths.push(...(await walk(tree, entry, `${path}/${entry.name}`)));
  }
  return paths;
}

test("Rock Ridge names are those that xorriso lists", async () => {
  const { primary } = await descriptors();
  const tree = await IsoTree.open(memory(file), primary as NonNullable<typeof primary>);
  const listed = run("xorriso", ["-indev", `stdio:${file}`, "-find", "/"])
    .split("\n")
    .map((line) => line.replace(/^'|'$/g, ""))
    .filter((line) => line.length > 1 && line !== "/boot.cat");
  expect(tree.names).toBe("rock-ridge");
  expect((await walk(tree)).sort()).toEqual(expect.arrayContaining(listed.sort()));
  expect(listed.length).toBeGreaterThan(200);
});

test("Joliet names keep their letters, cut at 64 as the tool cuts them", async () => {
  const { joliet } = await descriptors();
  const tree = await IsoTree.open(memory(file), joliet as NonNullable<typeof joliet>);
  expect(tree.names).toBe("joliet");
  expect(await findEntry(tree, "/docs/Ångström.txt")).toMatchObject({ sizeBytes: 7 });
});

test("plain names have no version number", async () => {
  const plain = w.path("plain.iso");
  run("genisoimage", ["-quiet", "-o", plain, `${file}.tree/boot`]);
  const { primary } = (await readIsoDescriptors(memory(plain))) as IsoDescriptors;
  const tree = await IsoTree.open(memory(plain), primary as NonNullable<typeof primary>);
  expect(tree.names).toBe("plain");
  expect((await tree.list(null)).map((entry) => entry.name)).toEqual(["ESP.IMG", "START.IMG"]);
});

test("a file's content is its bytes", async () => {
  const { primary } = await descriptors();
  const tree = await IsoTree.open(memory(file), primary as NonNullable<typeof primary>);
  const entry = await findEntry(tree, "/boot/esp.img");
  const content = await tree.open(entry as NonNullable<typeof entry>);
  expect(Buffer.from((await content?.read(0, 40_000)) ?? []).toString()).toBe("E".repeat(30_000));
});

test("the boot catalogue with all its sections is what xorriso reports", async () => {
  const { bootRecords } = await descriptors();
  const catalogue = await readElTorito(memory(file), bootRecords[0]?.catalogSector ?? 0);
  expect(catalogue).toMatchObject({ platform: 0, headerId: 1, checksumRight: true, keyRight: true, findings: [] });
  const report = run("xorriso", ["-indev", `stdio:${file}`, "-report_el_torito", "plain"]);
  const rows = [...report.matchAll(/^El Torito boot img :\s+\d+\s+(\w+)\s+y\s+none\s+\S+\s+\S+\s+(\d+)\s+(\d+)/gm)].map(
    ([, platform, sectors, lba]) => ({ platform, sectors: Number(sectors), lba: Number(lba) }),
  );
  expect(rows).toHaveLength(2);
  expect(
    catalogue?.entries.map((entry) => ({
      platform: entry.platform === 0xef ? "UEFI" : "BIOS",
      sectors: entry.sectorCount,
      lba: entry.startSector,
    })),
  ).toEqual(rows);
});

test("a directory that points at itself, and one past the end, end", async () => {
  const bytes = new Uint8Array(readFileSync(file));
  const { primary } = await descriptors();
  const volume = primary as NonNullable<typeof primary>;
  const view = new DataView(bytes.buffer);
  // Every record of the root directory points at the root itself.
  let at = volume.root.block * 2048;
  while ((bytes[at] ?? 0) > 0) {
    view.setUint32(at + 2, volume.root.block, true);
    at += bytes[at] as number;
  }
  const tree = await IsoTree.open(new MemorySource(bytes), volume);
  expect(await findEntry(tree, `/${"boot/".repeat(40)}x`)).toBeNull();
  const beyond = await IsoTree.open(new MemorySource(bytes), {
    ...volume,
    root: { block: 0xffff_ff, lengthBytes: 0xffff_ffff },
  });
  expect(await beyond.list(null)).toEqual([]);
});

describe("what Rock Ridge adds", () => {
  const folder = w.path("rock");
  run("sh", [
    "-c",
    `mkdir -p ${folder}/1/2/3/4/5/6/7/8/9/10 && cd ${folder} && echo deep > 1/2/3/4/5/6/7/8/9/10/file && ln -s ../other/./place link && ln -s /absolute/path absolute && touch -d 2026-03-01T10:20:30Z 1/2/3/4/5/6/7/8/9/10/file`,
  ]);
  // genisoimage moves what is deeper than eight folders; xorriso leaves it.
  test.each([
    ["genisoimage", ["-quiet", "-R"]],
    ["xorriso", ["-as", "mkisofs", "-quiet", "-R"]],
  ])("%s: links, deep folders, times", async (tool, options) => {
    const image = w.path(`${tool}.iso`);
    run(tool, [...options, "-o", image, folder]);
    const { primary } = (await readIsoDescriptors(memory(image))) as IsoDescriptors;
    const tree = await IsoTree.open(memory(image), primary as NonNullable<typeof primary>);
    const entries = await tree.list(null);
    const linkOf = (name: string) => entries.find((each) => each.name === name)?.link;
    expect(linkOf("link")).toBe("../other/./place");
    expect(linkOf("absolute")).toBe("/absolute/path");
    const deep = await findEntry(tree, "/1/2/3/4/5/6/7/8/9/10/file");
    const content = deep && (await tree.open(deep));
    expect(Buffer.from((await content?.read(0, 10)) ?? []).toString()).toBe("deep\n");
    expect(deep?.modified).toBe("2026-03-01T10:20:30.000Z");
  });
});

test("a link too long for one entry goes on in the next ones", async () => {
  const folder = w.path("long");
  const target = `${"long/".repeat(60)}end`;
  run("sh", ["-c", `mkdir -p ${folder} && ln -s ${target} ${folder}/link`]);
  // genisoimage does not come to an end with such a link.
  run("xorriso", ["-as", "mkisofs", "-quiet", "-R", "-o", w.path("long.iso"), folder]);
  const { primary } = (await readIsoDescriptors(memory(w.path("long.iso")))) as IsoDescriptors;
  const tree = await IsoTree.open(memory(w.path("long.iso")), primary as NonNullable<typeof primary>);
  expect((await tree.list(null))[0]?.link).toBe(target);
});

test("files that are packed block by block have their own size and content", async () => {
  const own = {
    "long.bin": readFileSync(process.execPath).subarray(0, 400_001),
    "zeros.bin": Buffer.alloc(200_000),
    "short.txt": Buffer.from("a short line\n".repeat(300)),
  };
  const tree = w.path("packed.tree");
  mkdirSync(tree);
  for (const [name, bytes] of Object.entries(own)) writeFileSync(join(tree, name), bytes);
  for (const blockSize of ["32k", "128k"]) {
    const image = w.path(`packed-${blockSize}.iso`);
    run("xorriso", [
      ...["-outdev", `stdio:${image}`, "-zisofs", `level=9:block_size=${blockSize}:by_magic=off`],
      ...["-map", tree, "/", "-set_filter_r", "--zisofs", "/", "--", "-commit"],
    ]);
    const source = memory(image);
    const primary = (await readIsoDescriptors(source))?.primary;
    const packed = await IsoTree.open(source, primary as NonNullable<typeof primary>);
    for (const [name, bytes] of Object.entries(own)) {
      const entry = await findEntry(packed, name);
      expect([name, entry?.sizeBytes, (entry?.packedBytes ?? 0) < bytes.length]).toEqual([name, bytes.length, true]);
      const content = entry && (await packed.open(entry));
      expect(Buffer.compare(Buffer.from((await content?.read(0, bytes.length)) ?? []), bytes)).toBe(0);
      expect(Buffer.from((await content?.read(1_000, 90)) ?? [])).toEqual(bytes.subarray(1_000, 1_090));
    }
  }
});

test("a packed file whose blocks are damaged ends there, and one without its head is not read", async () => {
  const bytes = new Uint8Array(readFileSync(w.path("packed-32k.iso")));
  const at = Buffer.from(bytes).indexOf(Buffer.from("37e45396c9dbd607", "hex"));
  const read = async () => {
    const source = new MemorySource(bytes);
    const primary = (await readIsoDescriptors(source))?.primary;
    const packed = await IsoTree.open(source, primary as NonNullable<typeof primary>);
    const lengths: number[] = [];
    for (const entry of await packed.list(null))
      lengths.push((await (await packed.open(entry))?.read(0, entry.sizeBytes))?.length ?? -1);
    return lengths.sort((a, b) => a - b);
  };
  const whole = await read();
  bytes.fill(0xff, at + 0x40, at + 0x50);
  const broken = await read();
  expect(broken[0]).toBeLessThan(whole[0] as number);
  bytes[at] = 0;
  expect(await read()).toContain(-1);
});
