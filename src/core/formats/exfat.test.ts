import { readFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { fillExfat } from "../../../test/support/exfat";
import { tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { ExfatTree } from "./exfat";
import { findEntry, openPath } from "./file-tree";

// Reference: volumes by mkfs.exfat, filled after the exFAT specification 1.00 and judged by fsck.exfat.
const w = tempWorkshop();
const image = w.blank("a.exfat", 8);
run("mkfs.exfat", ["-L", "SKERRY", image]);
const content = (letter: string, length: number) => Buffer.from(letter.repeat(length));
fillExfat(image, {
  "row.bin": content("r", 50_000),
  "chain.bin": content("c", 50_000),
  folder: { "in it.txt": content("i", 10) },
});
const bytes = new Uint8Array(readFileSync(image));
const view = new DataView(bytes.buffer);
const sector = 2 ** (bytes[108] as number);
const cluster = sector * 2 ** (bytes[109] as number);
const fatAt = view.getUint32(80, true) * sector;
const rootAt = view.getUint32(88, true) * sector + (view.getUint32(96, true) - 2) * cluster;

/** The set of entries of a name in the root, and its stream extension. */
function setOf(name: string): { at: number; first: number } {
  const wanted = Buffer.from(name, "utf16le");
  for (let at = rootAt; at < rootAt + cluster; at += 32)
    if (bytes[at] === 0x85 && Buffer.from(bytes.subarray(at + 66, at + 66 + wanted.length)).equals(wanted))
      return { at, first: view.getUint32(at + 32 + 20, true) };
  throw new Error(name);
}

const opened = async (changed: Uint8Array) => (await ExfatTree.open(new MemorySource(changed))) as ExfatTree;
function withSum(changed: Uint8Array, at: number): Uint8Array {
  let sum = 0;
  const length = ((changed[at + 1] as number) + 1) * 32;
  for (let i = 0; i < length; i++)
    if (i !== 2 && i !== 3) sum = (((sum << 15) | (sum >> 1)) + (changed[at + i] as number)) & 0xffff;
  new DataView(changed.buffer).setUint16(at + 2, sum, true);
  return changed;
}

test("files in a row and files in a chain, and the label", async () => {
  expect(run("fsck.exfat", ["-n", image])).toContain("clean");
  const exfat = await opened(bytes);
  expect(exfat.label).toBe("SKERRY");
  for (const [path, letter, length] of [
    ["/row.bin", "r", 50_000],
    ["/chain.bin", "c", 50_000],
    ["/folder/in it.txt", "i", 10],
  ] as const) {
    const file = await openPath(exfat, path);
    expect(Buffer.from((await file?.read(0, 60_000)) ?? []).toString()).toBe(letter.repeat(length));
  }
});

test("a set whose checksum is wrong is left out, the others stay", async () => {
  const changed = bytes.slice();
  changed[setOf("row.bin").at + 40] = 0x77;
  const names = (await (await opened(changed)).list(null)).map((each) => each.name);
  expect(names).toEqual(["chain.bin", "folder"]);
});

test("what was never written of a file reads as zeros (7.6.5)", async () => {
  const changed = bytes.slice();
  const { at } = setOf("row.bin");
  new DataView(changed.buffer).setBigUint64(at + 40, 20_000n, true);
  const file = await openPath(await opened(withSum(changed, at)), "/row.bin");
  const read = Buffer.from((await file?.read(0, 60_000)) ?? []);
  expect(read.length).toBe(50_000);
  expect(read.subarray(0, 20_000).equals(content("r", 20_000))).toBe(true);
  expect(read.subarray(20_000).every((byte) => byte === 0)).toBe(true);
});

test("a chain that runs in a circle, ends early or leaves the volume cannot be read", async () => {
  const { first } = setOf("chain.bin");
  for (const to of [first, 0xffffffff, 0x7fffffff, 0, 1]) {
    const changed = bytes.slice();
    new DataView(changed.buffer).setUint32(fatAt + first * 4, to, true);
    const file = await openPath(await opened(changed), "/chain.bin");
    // A circle gives the wrong clusters, but as many as the file has: it ends all the same.
    if (to === first) expect(file?.sizeBytes ?? 0).toBeLessThanOrEqual(50_000);
    else expect(file).toBeNull();
  }
});

test("lengths that no volume holds are refused, and a boot sector with impossible sizes", async () => {
  const { at } = setOf("row.bin");
  for (const length of [2n ** 40n, 2n ** 63n]) {
    const changed = bytes.slice();
    new DataView(changed.buffer).setBigUint64(at + 32 + 24, length, true);
    const exfat = await opened(withSum(changed, at));
    const entry = await findEntry(exfat, "/row.bin");
    expect(entry ? await exfat.open(entry) : null).toBeNull();
  }
  for (const [offset, value] of [
    [108, 40],
    [109, 60],
    [96, 0],
  ] as const) {
    const changed = bytes.slice();
    changed.fill(value, offset, offset + 1);
    if (offset === 96) changed.fill(0, 96, 100);
    expect(await ExfatTree.open(new MemorySource(changed))).toBeNull();
  }
});
