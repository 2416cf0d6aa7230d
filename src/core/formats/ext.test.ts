import { mkdirSync, readFileSync, symlinkSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { ExtTree } from "./ext";
import { findEntry, walk } from "./file-tree";

// Reference: mke2fs and debugfs of e2fsprogs.
const w = tempWorkshop();
const tree = w.path("tree");
mkdirSync(`${tree}/many`, { recursive: true });
for (let i = 0; i < 1200; i++) w.text(`tree/many/entry number ${i} of a large folder`, "");
symlinkSync("a".repeat(59), `${tree}/short`);
symlinkSync("b".repeat(60), `${tree}/sixty`);
symlinkSync("c/".repeat(400), `${tree}/long`);
run("mkfifo", [`${tree}/pipe`]);
run("truncate", ["-s", "5000000000", `${tree}/huge`]);
const make = (kind: string, options: string[] = []) => {
  const image = w.blank(`${kind}.img`, 24);
  run("mke2fs", ["-q", "-t", kind, ...options, "-d", tree, image]);
  return image;
};
const open = async (file: string) => (await ExtTree.open(memory(file))) as ExtTree;

describe.each([
  ["ext2", ["-b", "1024"]],
  ["ext4", ["-O", "dir_index"]],
])("%s %j", (kind, options) => {
  const image = make(kind, options);

  test("links of every length, a file of more than 4 GiB, a pipe", async () => {
    const ext = await open(image);
    const entries = new Map((await ext.list(null)).map((each) => [each.name, each]));
    expect(entries.get("short")?.link).toBe("a".repeat(59));
    expect(entries.get("sixty")?.link).toBe("b".repeat(60));
    expect(entries.get("long")?.link).toBe("c/".repeat(400));
    expect(entries.get("pipe")).toMatchObject({ unreadable: "special", sizeBytes: 0 });
    const huge = await findEntry(ext, "/huge");
    const content = huge && (await ext.open(huge));
    expect(content?.sizeBytes).toBe(5_000_000_000);
    expect((await content?.read(4_999_999_000, 5000))?.length).toBe(1000);
  });

  test("a large folder, as debugfs lists it", async () => {
    const ext = await open(image);
    const listed = run("debugfs", ["-R", "ls -p /many", image])
      .split("\n")
      .map((line) => line.split("/")[5])
      .filter((name) => name && name !== "." && name !== "..");
    const own = (await ext.list(await findEntry(ext, "/many"))).map((each) => each.name);
    expect(own.length).toBe(1200);
    expect(own.sort()).toEqual(listed.sort());
  });

  test("damage anywhere ends in less, never in an exception", async () => {
    const bytes = new Uint8Array(readFileSync(image));
    const roll = dice(17);
    let [readable, entries] = [0, 0];
    for (let round = 0; round < 20; round++) {
      const changed = damaged(bytes, roll);
      for (let i = 0; i < 30; i++) changed[roll(Math.min(changed.length, 300_000))] = roll(256);
      const ext = await ExtTree.open(new MemorySource(changed));
      let seen = 0;
      if (ext)
        for await (const { entry } of walk(ext)) if (++seen % 100 === 0 && !entry.directory) await ext.open(entry);
      expect(seen).toBeLessThan(20_000);
      if (ext) readable++;
      entries += seen;
    }
    // Most of it is still there: damage takes what it hits, and no more.
    expect(readable).toBeGreaterThanOrEqual(10);
    expect(entries).toBeGreaterThan(1200);
  });
});

test("a layout that is not read here is not opened: a journal's own device", async () => {
  const image = w.blank("journal.img", 8);
  run("mke2fs", ["-q", "-O", "journal_dev", image]);
  expect(await ExtTree.open(memory(image))).toBeNull();
  expect(await ExtTree.open(new MemorySource(new Uint8Array(4096)))).toBeNull();
});
