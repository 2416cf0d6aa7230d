import { mkdirSync, readFileSync, symlinkSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { findEntry, openPath, walk } from "./file-tree";
import { fileTime, NtfsTree } from "./ntfs";

// Reference: wimlib and ntfscp, which write through libntfs-3g; ntfsls tells what is there.
const w = tempWorkshop();
const tree = w.path("tree");
mkdirSync(`${tree}/many`, { recursive: true });
for (let i = 0; i < 1500; i++) w.text(`tree/many/a file with number ${i}.txt`, `content ${i}`);
w.text("tree/first.txt", "the same file");
run("ln", [`${tree}/first.txt`, `${tree}/many/second name.txt`]);
symlinkSync("many", `${tree}/to a folder`);
run("truncate", ["-s", "3000000", `${tree}/holes.bin`]);
run("wimcapture", [tree, w.path("tree.wim"), "--quiet"]);

function volume(name: string): string {
  const image = w.blank(name, 24);
  run("mkntfs", ["-F", "-q", image]);
  run("wimapply", [w.path("tree.wim"), "1", image, "--quiet"]);
  return image;
}
const image = volume("plain.ntfs");
const open = async (file: string) => (await NtfsTree.open(memory(file))) as NtfsTree;
const text = async (ntfs: NtfsTree, path: string) => {
  const content = await openPath(ntfs, path);
  return content && Buffer.from(await content.read(0, 1000)).toString();
};

test("a folder of many names, as ntfsls lists it", async () => {
  const ntfs = await open(image);
  const many = await findEntry(ntfs, "/many");
  const listed = run("ntfsls", ["-f", "-p", "/many", image])
    .split("\n")
    .filter((line) => line && line !== "." && line !== "..");
  expect((await ntfs.list(many)).map((each) => each.name).sort()).toEqual(listed.sort());
  expect(await text(ntfs, "/many/A FILE WITH NUMBER 1234.TXT")).toBe("content 1234");
});

test("two names of one file, a file of holes, a link", async () => {
  const ntfs = await open(image);
  expect(await text(ntfs, "/first.txt")).toBe("the same file");
  expect(await text(ntfs, "/many/second name.txt")).toBe("the same file");
  const holes = await openPath(ntfs, "/holes.bin");
  expect(holes?.sizeBytes).toBe(3_000_000);
  expect((await holes?.read(2_999_000, 5000))?.every((byte) => byte === 0)).toBe(true);
  expect(await findEntry(ntfs, "/to a folder/a file with number 7.txt")).toMatchObject({ sizeBytes: 9 });
});

test("the file system's own files are no content", async () => {
  expect((await (await open(image)).list(null)).map((each) => each.name).sort()).toEqual([
    "first.txt",
    "holes.bin",
    "many",
    "to a folder",
  ]);
});

test("a compressed file is listed with its size and said to be compressed", async () => {
  const file = w.blank("compressed.ntfs", 24);
  run("mkntfs", ["-F", "-q", "-C", file]);
  run("ntfscp", ["-q", "-f", file, w.text("letters.txt", "a".repeat(500_000)), "letters.txt"]);
  const ntfs = await open(file);
  const entry = await findEntry(ntfs, "/letters.txt");
  expect(entry).toMatchObject({ sizeBytes: 500_000, unreadable: "compressed" });
  expect(entry && (await ntfs.open(entry))).toBeNull();
});

test("a sector that was not written with the others is noticed by its fix-up", async () => {
  const bytes = new Uint8Array(readFileSync(image));
  const ntfs = (await NtfsTree.open(new MemorySource(bytes))) as NtfsTree;
  const first = await findEntry(ntfs, "/first.txt");
  if (!first) throw new Error("not there");
  // The record's place: the table of files begins where the boot sector says, records of 1 KiB.
  const view = new DataView(bytes.buffer);
  const mft = Number(view.getBigUint64(48, true)) * 512 * (bytes[13] as number);
  const at = mft + first.record * 1024;
  expect(Buffer.from(bytes.subarray(at, at + 4)).toString()).toBe("FILE");
  bytes[at + 510] = (bytes[at + 510] as number) ^ 0xff;
  const torn = (await NtfsTree.open(new MemorySource(bytes))) as NtfsTree;
  expect(await findEntry(torn, "/first.txt")).toBeNull();
  expect(await text(torn, "/many/a file with number 5.txt")).toBe("content 5");
});

test("damage anywhere ends in less, never in an exception", async () => {
  const bytes = new Uint8Array(readFileSync(image));
  const roll = dice(31);
  let [readable, entries] = [0, 0];
  for (let round = 0; round < 25; round++) {
    const changed = damaged(bytes, roll);
    for (let i = 0; i < 20; i++) changed[roll(Math.min(changed.length, 400_000))] = roll(256);
    const ntfs = await NtfsTree.open(new MemorySource(changed));
    let seen = 0;
    if (ntfs)
      for await (const { entry } of walk(ntfs)) if (++seen % 50 === 0 && !entry.directory) await ntfs.open(entry);
    expect(seen).toBeLessThan(3000);
    if (ntfs) readable++;
    entries += seen;
  }
  // Damage takes what it hits, and no more.
  expect(readable).toBeGreaterThanOrEqual(12);
  expect(entries).toBeGreaterThan(300);
});

test("times: tenths of microseconds since 1601 ([MS-DTYP] 2.3.3)", () => {
  expect(fileTime(116_444_736_000_000_000n)).toBe("1970-01-01T00:00:00.000Z");
  expect(fileTime(0n)).toBeNull();
  expect(fileTime(0xffffffffffffffffn)).toBeNull();
});
