import { createHash } from "node:crypto";
import { readFileSync, rmSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { dice } from "../../../test/support/dice";
import { tempWorkshop } from "../../../test/support/workshop";
import { writeLayout } from "../../../test/support/written";
import { Seed } from "../kernel/seed";
import { type ByteSource, MemorySource } from "../kernel/source";
import { ExfatTree } from "./exfat";
import { exfatNeededBytes, planExfat } from "./exfat-writing";
import { FatTree } from "./fat";
import { fat32NeededBytes, leastFat32Bytes, planFat32, type VolumeOptions } from "./fat32-writing";
import { type FileTree, walk } from "./file-tree";
import { LayoutSource } from "./pieces";
import type { FileToWrite } from "./tree-writing";

// References: fsck.fat and mtools on FAT, fsck.exfat and dump.exfat on exFAT, and our own readers.
const w = tempWorkshop();
const MIB = 1 << 20;
const GB = 1e9;

function content(seed: number, bytes: number): Uint8Array {
  const roll = dice(seed);
  return Uint8Array.from({ length: bytes }, () => roll(256));
}

function file(path: string, bytes: number | Uint8Array, modified: string | null = "2026-03-01T10:20:30Z"): FileToWrite {
  const given = typeof bytes === "number" ? content(path.length + bytes, bytes) : bytes;
  return { path, content: new MemorySource(given), modified };
}

const FILES: FileToWrite[] = [
  file("/EFI/BOOT/BOOTX64.EFI", 70_000),
  file("/EFI/BOOT/grub.cfg", 120),
  file("/readme.txt", 0),
  file("/A name that is longer than thirteen letters.conf", 5000),
  file("/live/filesystem.squashfs", 300_001),
  file("/sources/install image, part one.wim", 4096),
  file("/sources/install image, part two.wim", 4097),
  file("/sources/INSTAL~1.WIM", 1),
  file("/färje/Överfart höst.txt", 33),
  file("/færge/Ω και я.txt", 34),
  ...Array.from({ length: 300 }, (_, at) => file(`/many/record number ${at}.json`, (at * 37) % 900)),
  file(`/${"d/".repeat(40)}deep.bin`, 777, null),
];

const options = (sizeBytes: number, more: Partial<VolumeOptions> = {}): VolumeOptions => ({
  sizeBytes,
  sectorBytes: 512,
  startLba: 2048,
  label: "CREEL 014",
  seed: new Seed("one"),
  madeAt: "2026-11-25T12:00:00Z",
  ...more,
});

function planned(kind: "fat32" | "exfat", files: FileToWrite[], given: VolumeOptions) {
  const result = kind === "fat32" ? planFat32(files, given) : planExfat(files, given);
  if (!result.ok) throw new Error(JSON.stringify(result.problems));
  return result.value;
}

async function digests(tree: FileTree | null): Promise<Record<string, string>> {
  if (!tree) throw new Error("It is no such volume.");
  const found: Record<string, string> = {};
  for await (const { path, entry } of walk(tree)) {
    if (entry.directory) continue;
    const source = await tree.open(entry);
    found[path] = source ? await digest(source) : "unread";
  }
  return found;
}

async function digest(source: ByteSource): Promise<string> {
  return createHash("sha256")
    .update(await source.read(0, source.sizeBytes))
    .digest("hex");
}

async function expected(files: FileToWrite[]): Promise<Record<string, string>> {
  return Object.fromEntries(await Promise.all(files.map(async (each) => [each.path, await digest(each.content)])));
}

const openTree = (kind: "fat32" | "exfat", source: ByteSource): Promise<FileTree | null> =>
  kind === "fat32" ? FatTree.open(source) : ExfatTree.open(source);

function checked(kind: "fat32" | "exfat", path: string): void {
  // Both end with an error where they would change anything.
  if (kind === "fat32") run("fsck.fat", ["-n", "-v", path]);
  else expect(run("fsck.exfat", ["-n", path])).toMatch(/clean/);
}

describe.each(["fat32", "exfat"] as const)("%s", (kind) => {
  // Also what is sold as 2 GB, and sizes that are no round number of anything.
  test.each([
    ["63 MB", 63e6 - 2048 * 512],
    ["130,000,384 bytes", 130_000_384],
    ["255 MiB", 255 * MIB],
    ["256 MiB", 256 * MIB],
    ["2 GB", 2 * GB - MIB],
    ["8 GiB and a sector", 8 * 2 ** 30 + 512],
    ["16 GB", 16 * GB],
    ["32 GB", 32 * GB - 512],
    ["2 TB", 2000 * GB],
  ])("a volume of %s is clean, and holds each file as it was", async (_what, bytes) => {
    const volume = planned(kind, FILES, options(bytes));
    const path = w.path(`${kind}.img`);
    await writeLayout(volume, path);
    checked(kind, path);
    const wanted = await expected(FILES);
    expect(await digests(await openTree(kind, new LayoutSource(volume)))).toEqual(wanted);
    expect((await openTree(kind, new LayoutSource(volume)))?.label).toBe("CREEL 014");
    rmSync(path);
  });

  test("with sectors of 4,096 bytes", async () => {
    const volume = planned(kind, FILES, options(600 * MIB, { sectorBytes: 4096 }));
    const path = w.path(`${kind}-4k.img`);
    await writeLayout(volume, path);
    if (kind === "fat32") checked(kind, path);
    expect(await digests(await openTree(kind, new LayoutSource(volume)))).toEqual(await expected(FILES));
  });

  test("the same seed makes the same volume, another one another; the order of the files is of no account", async () => {
    const bytes = async (files: FileToWrite[], seed: string) =>
      digest(new LayoutSource(planned(kind, files, options(64 * MIB, { seed: new Seed(seed) }))));
    const first = await bytes(FILES, "one");
    expect(await bytes([...FILES].reverse(), "one")).toBe(first);
    expect(await bytes(FILES, "two")).not.toBe(first);
  });

  test("an empty one, one that is full to the last cluster, and one file more", async () => {
    const given = options(64 * MIB);
    const empty = planned(kind, [], given);
    await writeLayout(empty, w.path("empty.img"));
    checked(kind, w.path("empty.img"));
    const full = [{ path: "/all.bin", content: new MemorySource(new Uint8Array(empty.freeBytes)), modified: null }];
    const volume = planned(kind, full, given);
    expect(volume.freeBytes).toBe(0);
    await writeLayout(volume, w.path("full.img"));
    checked(kind, w.path("full.img"));
    const more = [...full, file("/one more.txt", 1)];
    const result = kind === "fat32" ? planFat32(more, given) : planExfat(more, given);
    expect(result).toMatchObject({ ok: false, problems: [{ code: "does-not-fit", freeBytes: expect.any(Number) }] });
    const needed = kind === "fat32" ? fat32NeededBytes : exfatNeededBytes;
    expect(needed(full, given.sizeBytes, 512)).toBeLessThanOrEqual(given.sizeBytes);
    expect(needed(more, given.sizeBytes, 512)).toBeGreaterThan(needed(full, given.sizeBytes, 512));
  });

  test("names that cannot be are told, all of them", () => {
    const files = [
      file("/what?.txt", 1),
      file("/ends with a dot.", 1),
      file("/Same.txt", 1),
      file("/SAME.TXT", 1),
      file("/folder/x", 1),
      file("/folder", 1),
      file(`/${"n".repeat(256)}`, 1),
      file("/a\u0001b", 1),
    ];
    const result = kind === "fat32" ? planFat32(files, options(64 * MIB)) : planExfat(files, options(64 * MIB));
    expect(result.ok ? [] : result.problems.map(({ code }) => code)).toEqual([
      "name-not-allowed",
      "name-not-allowed",
      "same-name",
      "file-and-folder",
      "name-too-long",
      "name-not-allowed",
    ]);
  });
});

test("mtools list and give back what is on a FAT32 volume, long names and short ones", async () => {
  const volume = planned("fat32", FILES, options(64 * MIB));
  const path = w.path("listed.img");
  await writeLayout(volume, path);
  const listing = run("mdir", ["-i", path, "::/sources"]);
  expect(listing).toMatch(/INSTAL~1 WIM\s+1 /);
  expect(listing).toContain("install image, part one.wim");
  expect(listing).toMatch(/2026-03-01\s+10:20/);
  expect(run("mtype", ["-i", path, "::/EFI/BOOT/grub.cfg"]).length).toBeGreaterThan(0);
  run("mcopy", ["-n", "-i", path, "::/live/filesystem.squashfs", w.path("back.bin")]);
  const [original] = FILES.filter((each) => each.path.startsWith("/live"));
  expect(
    createHash("sha256")
      .update(readFileSync(w.path("back.bin")))
      .digest("hex"),
  ).toBe(await digest((original as FileToWrite).content));
});

test("a FAT32 volume holds no file of 4 GiB, and is never so small that it would be FAT16", () => {
  const large: FileToWrite = {
    path: "/x.wim",
    content: { sizeBytes: 2 ** 32, read: async () => new Uint8Array(0) },
    modified: null,
  };
  expect(planFat32([large], options(32 * GB))).toMatchObject({
    ok: false,
    problems: [{ code: "file-too-large", path: "/x.wim", bytes: 2 ** 32, mostBytes: 2 ** 32 - 1 }],
  });
  expect(planExfat([large], options(32 * GB)).ok).toBe(true);
  expect(planFat32([], options(leastFat32Bytes(512) - 4096))).toMatchObject({
    problems: [{ code: "too-small-for-format" }],
  });
  const least = planned("fat32", [], options(leastFat32Bytes(512)));
  expect(least.freeBytes / least.clusterBytes).toBeGreaterThanOrEqual(65_524);
});
