import { readFileSync } from "node:fs";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { decodeFatGeometry, FatTree } from "./fat";
import { findEntry } from "./file-tree";

const w = tempWorkshop();
const LONG = "A rather long name of a file, with spaces.and.dots.txt";

async function read(tree: FatTree, path: string): Promise<string | null> {
  const entry = await findEntry(tree, path);
  const content = entry && (await tree.open(entry));
  return content ? Buffer.from(await content.read(0, content.sizeBytes)).toString() : null;
}

// Reference: dosfstools' mkfs.fat makes the volume, mtools fills it, fsck.fat says what kind it is.
describe.each([
  { bits: 12, sizeMiB: 4, options: ["-s", "4"] },
  { bits: 16, sizeMiB: 20, options: ["-s", "4"] },
  { bits: 32, sizeMiB: 40, options: ["-s", "1"] },
])("FAT$bits by mkfs.fat", ({ bits, sizeMiB, options }) => {
  const text = w.text("content.txt", "0123456789".repeat(5000));
  const file = w.fat(
    `fat${bits}.img`,
    sizeMiB,
    bits,
    { [LONG]: text, "EFI/BOOT/Bootx64.efi": text, "UPPER.TXT": text },
    options,
  );

  test("is told by its cluster count (Microsoft FAT specification 1.03, 3.5)", () => {
    const geometry = decodeFatGeometry(readFileSync(file).subarray(0, 512));
    expect(geometry?.kind).toBe(`fat${bits}`);
    const report = run("fsck.fat", ["-nv", file]);
    const clusters = /(\d+) clusters?|\/(\d+) clusters/.exec(report.split("\n").at(-2) ?? "");
    expect(geometry?.clusterCount).toBe(Number(clusters?.[2] ?? clusters?.[1]));
  });

  test("long and short names, whatever their case", async () => {
    const tree = (await FatTree.open(memory(file))) as FatTree;
    expect(tree.label).toBe("KIT");
    expect((await tree.list(null)).map((entry) => entry.name).sort()).toEqual([LONG, "EFI", "UPPER.TXT"].sort());
    expect(await findEntry(tree, "/efi/boot/BOOTX64.EFI")).toMatchObject({ name: "Bootx64.efi", sizeBytes: 50_000 });
  });

  test("a file of many clusters is read whole", async () => {
    const tree = (await FatTree.open(memory(file))) as FatTree;
    expect(await read(tree, LONG)).toBe("0123456789".repeat(5000));
    expect(await read(tree, "EFI/BOOT/BOOTX64.EFI")).toBe("0123456789".repeat(5000));
  });
});

describe("damage", () => {
  const text = w.text("small.txt", "x".repeat(6000));
  const good = () =>
    new Uint8Array(readFileSync(w.fat("damage.img", 12, 16, { "A.TXT": text, "DIR/B.TXT": text }, ["-s", "2"])));
  const fatAt = (bytes: Uint8Array) => new DataView(bytes.buffer).getUint16(14, true) * 512;
  const setEntry = (bytes: Uint8Array, cluster: number, value: number) =>
    new DataView(bytes.buffer).setUint16(fatAt(bytes) + cluster * 2, value, true);
  const firstCluster = async (bytes: Uint8Array, path: string) => {
    const tree = (await FatTree.open(new MemorySource(bytes))) as FatTree;
    return (await findEntry(tree, path))?.firstCluster as number;
  };

  test("a chain in a circle ends, and the file is not given out", async () => {
    const bytes = good();
    const first = await firstCluster(bytes, "A.TXT");
    // The file says that it is longer than its circle of two clusters.
    setEntry(bytes, first, first + 1);
    setEntry(bytes, first + 1, first);
    const tree = (await FatTree.open(new MemorySource(bytes))) as FatTree;
    const entry = await findEntry(tree, "A.TXT");
    expect(await tree.open({ ...(entry as NonNullable<typeof entry>), sizeBytes: 0xffff_ffff })).toBeNull();
  });

  test("a directory in a circle ends", async () => {
    const bytes = good();
    setEntry(bytes, await firstCluster(bytes, "DIR"), await firstCluster(bytes, "DIR"));
    const tree = (await FatTree.open(new MemorySource(bytes))) as FatTree;
    expect(await findEntry(tree, "DIR/NOT-THERE")).toBeNull();
  });

  test.each([
    ["a free cluster", 0],
    ["a cluster past the end", 0xfff0],
  ])("a chain that leads to %s gives no content", async (_, value) => {
    const bytes = good();
    setEntry(bytes, await firstCluster(bytes, "A.TXT"), value);
    const tree = (await FatTree.open(new MemorySource(bytes))) as FatTree;
    expect(await read(tree, "A.TXT")).toBeNull();
    expect(await read(tree, "DIR/B.TXT")).toBe("x".repeat(6000));
  });

  test("cut at any length it is refused or read, never thrown at", async () => {
    const bytes = good();
    for (const length of [0, 1, 100, 511, 512, 513, 2048, fatAt(bytes), fatAt(bytes) + 3, 20_000, 50_000]) {
      const tree = await FatTree.open(new MemorySource(bytes.subarray(0, length)));
      if (tree) await findEntry(tree, "DIR/B.TXT");
      expect(tree === null).toBe(length < 512);
    }
  });

  test.each([
    ["sector size 0", 11, 0],
    ["sectors per cluster 3", 13, 3],
    ["no reserved sectors", 14, 0],
    ["no FATs", 16, 0],
    ["media byte 0x12", 21, 0x12],
  ])("a boot sector with %s is none", (_, at, value) => {
    const bytes = good().slice(0, 512);
    bytes.fill(0, at, at === 11 || at === 14 ? at + 2 : at + 1);
    bytes[at] = value;
    expect(decodeFatGeometry(bytes)).toBeNull();
  });
});
