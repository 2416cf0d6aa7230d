import { createHash } from "node:crypto";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { run } from "../../../scripts/media/workshop";
import { readDamaged } from "../../../test/support/damage";
import { dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource, readExactly } from "../kernel/source";
import { ErofsTree } from "./erofs";
import { openPath, walk } from "./file-tree";

// Reference: mkfs.erofs, which packs a folder in each of the ways that the format has.
const w = tempWorkshop();
const program = new Uint8Array(readFileSync(process.execPath).subarray(0, 6_000_011));
const roll = dice(7);
const FILES: Record<string, Uint8Array> = {
  "empty.txt": new Uint8Array(0),
  "os-release": new TextEncoder().encode('NAME="Kit"\n'),
  "program.bin": program,
  "again.bin": program.slice(0, 1_500_000),
  "zeros.bin": new Uint8Array(9_000_000),
  "dice.bin": Uint8Array.from({ length: 300_001 }, () => roll(256)),
  "words.txt": new TextEncoder().encode("a line that comes again and again\n".repeat(9_000)),
  "folder/block.bin": program.slice(4096, 4096 + 8192),
  "folder/deeper/tail.bin": program.slice(9_000, 9_000 + 4_097),
};
const MANY = 600;

function folder(): string {
  const top = w.path("tree");
  for (const [path, bytes] of Object.entries(FILES)) {
    mkdirSync(join(top, path, ".."), { recursive: true });
    writeFileSync(join(top, path), bytes);
  }
  mkdirSync(join(top, "many"));
  for (let nth = 0; nth < MANY; nth++) writeFileSync(join(top, "many", `file-number-${nth}.txt`), `${nth}`);
  symlinkSync("folder/block.bin", join(top, "short"));
  symlinkSync(`${"a-very-long-folder-name/".repeat(30)}end`, join(top, "long"));
  return top;
}
const tree = folder();

// It copies chunks from a file that C's tmpfile() makes, in /tmp: both have to be on one file system.
const images = mkdtempSync("/tmp/creel-erofs-");
afterAll(() => rmSync(images, { recursive: true, force: true }));

function volume(options: string[]): string {
  const image = join(images, "erofs.img");
  writeFileSync(image, "");
  run("mkfs.erofs", ["--quiet", ...options, image, tree]);
  return image;
}

const sum = (bytes: Uint8Array) => createHash("sha256").update(bytes).digest("hex");

test.each([
  ["plain", []],
  ["plain, no tails inline", ["-Enoinline_data"]],
  ["narrow inodes", ["-Eforce-inode-compact", "-T1700000000"]],
  ["wide inodes", ["-Eforce-inode-extended"]],
  ["in chunks of 4 KiB", ["--chunksize=4096"]],
  ["in chunks of 64 KiB", ["--chunksize=65536"]],
  ["in chunks by indexes", ["--chunksize=16384", "-Eforce-chunk-indexes"]],
  ["LZ4", ["-zlz4"]],
  ["LZ4, narrow inodes", ["-zlz4", "-Eforce-inode-compact", "-T1700000000"]],
  ["LZ4 as well as it goes", ["-zlz4hc,12"]],
  ["LZ4 in larger clusters", ["-zlz4hc", "-C65536"]],
  ["LZ4 in the largest clusters", ["-zlz4", "-C1048576"]],
  ["LZ4 with the index of old", ["-zlz4", "-Elegacy-compress"]],
  ["LZ4 with short runs", ["-zlz4", "--max-extent-bytes=16384"]],
  ["LZ4 with ends inline", ["-zlz4", "-Eztailpacking"]],
  ["LZ4 with ends together", ["-zlz4", "-C16384", "-Efragments"]],
  ["LZ4 with all that is small together", ["-zlz4", "-Eall-fragments"]],
  ["LZ4 with nothing twice", ["-zlz4", "-C16384", "-Ededupe"]],
  ["LZ4 with nothing twice and ends together", ["-zlz4", "-C16384", "-Efragments,dedupe"]],
])("%s: files, folders, links", async (name, options) => {
  const opened = await ErofsTree.open(memory(volume(options)));
  if (!opened) throw new Error(`${name} was not opened`);
  for (const [path, bytes] of Object.entries(FILES)) {
    const content = await openPath(opened, path);
    const read = content && (await readExactly(content, 0, content.sizeBytes));
    expect([path, read && sum(read)]).toEqual([path, sum(bytes)]);
  }
  const words = await openPath(opened, "words.txt");
  expect(Buffer.from((await words?.read(200_000, 50)) ?? "")).toEqual(
    Buffer.from((FILES["words.txt"] as Uint8Array).subarray(200_000, 200_050)),
  );
  const paths: string[] = [];
  const links: number[] = [];
  for await (const { path, entry } of walk(opened, null, { entries: 5_000, onCut: () => {} })) {
    paths.push(path);
    if (entry.link !== undefined) links.push(entry.link.length);
  }
  expect(paths.filter((path) => path.startsWith("/many/"))).toHaveLength(MANY);
  expect(paths).toContain("/folder/deeper/tail.bin");
  expect(links.sort()).toEqual([16, 30 * 24 + 3]);
});

test("a form that is newer than what is read here is not opened", async () => {
  const bytes = new Uint8Array(readFileSync(volume([])));
  bytes[1024 + 80] = 0x80;
  expect(await ErofsTree.open(new MemorySource(bytes))).toBeNull();
});

test.each([
  ["plain", []],
  ["packed", ["-zlz4", "-C16384", "-Efragments"]],
])("damage ends what is read of it, and never throws: %s", async (_, options) => {
  const bytes = new Uint8Array(readFileSync(volume(options)));
  const listed = await readDamaged(bytes, (source) => ErofsTree.open(source), { rounds: 60, first: 24, roll: dice(5) });
  expect(listed).toBeGreaterThan(500);
});
