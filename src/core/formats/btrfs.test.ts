import { mkdirSync, readFileSync, symlinkSync, truncateSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { run } from "../../../scripts/media/workshop";
import { readDamaged } from "../../../test/support/damage";
import { dice } from "../../../test/support/dice";
import { mayMount, mounted } from "../../../test/support/mounted";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { readExactly } from "../kernel/source";
import { BtrfsTree } from "./btrfs";
import { findEntry, openPath } from "./file-tree";

// Reference: the kernel's own btrfs, which writes what is read here; mkfs.btrfs where nothing may be mounted.
const w = tempWorkshop();
const roll = dice(31);
const FILES: Record<string, Uint8Array> = {
  "empty.txt": new Uint8Array(0),
  "short.txt": new TextEncoder().encode("Kept in the tree itself.\n"),
  "text.log": new TextEncoder().encode("the same line again and again, 0123456789\n".repeat(30_000)),
  "noise.bin": Uint8Array.from({ length: 700_001 }, () => roll(256)),
  "program.bin": new Uint8Array(readFileSync(process.execPath).subarray(3_000_000, 4_500_003)),
  "sub/folder/deep.txt": new TextEncoder().encode("deep ".repeat(2_000)),
};

function fill(folder: string): void {
  for (const [path, bytes] of Object.entries(FILES)) {
    mkdirSync(join(folder, path, ".."), { recursive: true });
    writeFileSync(join(folder, path), bytes);
  }
  // A hole of a megabyte before its end.
  writeFileSync(join(folder, "sparse.bin"), "begin");
  truncateSync(join(folder, "sparse.bin"), 1 << 20);
  symlinkSync("folder/deep.txt", join(folder, "sub/link"));
  mkdirSync(join(folder, "many"));
  for (let nth = 0; nth < 1500; nth++) writeFileSync(join(folder, `many/file number ${nth}.txt`), `${nth}\n`);
}

async function expectFilled(image: string): Promise<void> {
  const tree = await BtrfsTree.open(memory(image));
  if (!tree) throw new Error("not opened");
  for (const [path, bytes] of Object.entries(FILES)) {
    const content = await openPath(tree, path);
    const read = content && (await readExactly(content, 0, content.sizeBytes));
    expect([path, read && Buffer.compare(read, bytes)]).toEqual([path, 0]);
  }
  const sparse = await openPath(tree, "sparse.bin");
  expect([sparse?.sizeBytes, Buffer.from((await sparse?.read(0, 8)) ?? []).toString("latin1")]).toEqual([
    1 << 20,
    "begin\0\0\0",
  ]);
  expect((await findEntry(tree, "sub/link"))?.sizeBytes).toBe(FILES["sub/folder/deep.txt"]?.length);
  const many = await findEntry(tree, "many");
  const names = many ? (await tree.list(many)).map(({ name }) => name) : [];
  expect(new Set(names).size).toBe(1500);
}

function blank(name: string): string {
  const image = w.blank(name, 160);
  run("mkfs.btrfs", ["-q", "-L", "KIT", image]);
  return image;
}

const whereMounted = mayMount(blank("probe.img")) ? test : test.skip;

test("as mkfs.btrfs fills it: folders, links, holes, a folder of many", async () => {
  const folder = w.path("tree");
  mkdirSync(folder);
  fill(folder);
  const image = w.blank("filled.img", 160);
  run("mkfs.btrfs", ["-q", "--rootdir", folder, image]);
  await expectFilled(image);
});

whereMounted.each(["", "compress-force=zlib", "compress-force=lzo", "compress-force=zstd:9", "max_inline=0"])(
  "as the kernel fills it, %j",
  async (options) => {
    const image = blank("kernel.img");
    mounted(image, options, fill);
    await expectFilled(image);
  },
);

whereMounted("subvolumes are folders; the one that is mounted by default is the root", async () => {
  const image = blank("volumes.img");
  mounted(image, "", (folder) => {
    run("btrfs", ["subvolume", "create", `${folder}/home`]);
    writeFileSync(`${folder}/home/notes.txt`, "kept");
    writeFileSync(`${folder}/top.txt`, "top");
  });
  const tree = await BtrfsTree.open(memory(image));
  expect(await (tree && openPath(tree, "/home/notes.txt"))).not.toBeNull();
  mounted(image, "", (folder) => {
    run("btrfs", ["subvolume", "set-default", `${folder}/home`]);
  });
  const other = await BtrfsTree.open(memory(image));
  expect((await other?.list(null))?.map(({ name }) => name)).toEqual(["notes.txt"]);
});

test("damage ends what is read of it, and never throws", async () => {
  const folder = w.path("small");
  mkdirSync(folder);
  for (const name of ["a.txt", "b.txt", "c.txt"]) writeFileSync(join(folder, name), name.repeat(3_000));
  const image = w.blank("damage.img", 112);
  run("mkfs.btrfs", ["-q", "--rootdir", folder, image]);
  const bytes = new Uint8Array(w.bytes(image));
  const listed = await readDamaged(bytes, (source) => BtrfsTree.open(source), { rounds: 120, first: 200, roll });
  expect(listed).toBeGreaterThan(100);
});
