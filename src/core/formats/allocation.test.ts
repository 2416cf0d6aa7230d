import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { dice } from "../../../test/support/dice";
import { fillExfat } from "../../../test/support/exfat";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { volumeAllocation } from "./volume-allocation";

// Reference: the tools of each file system, which count what is free, and judge a copy that has only what is in use.
const w = tempWorkshop();
const MIB = 1 << 20;

/** Letters by a seed, so that nothing in a file reads as zeros by chance. */
function content(bytes: number, seed: number): string {
  const roll = dice(seed);
  return w.text(`content-${seed}`, Array.from({ length: bytes }, () => String.fromCharCode(97 + roll(26))).join(""));
}

const FILES = [content(700_000, 1), content(3_000_000, 2), content(50, 3), content(900_000, 4)];

type Filler = "fat" | "exfat" | "ntfs" | "ext";

/** Four files of which the second is taken away again: what it held is free, and still there. */
const MAKERS: Record<Filler, (image: string) => void> = {
  fat: (image) => {
    for (const [at, file] of FILES.entries()) run("mcopy", ["-i", image, file, `::/file${at}`]);
    run("mdel", ["-i", image, "::/file1"]);
  },
  ext: (image) => {
    for (const [at, file] of FILES.entries()) run("debugfs", ["-w", "-R", `write ${file} file${at}`, image]);
    run("debugfs", ["-w", "-R", "rm file1", image]);
    run("e2fsck", ["-fp", image]);
  },
  ntfs: (image) => {
    for (const [at, file] of FILES.entries()) run("ntfscp", ["-q", "-f", image, file, `file${at}`]);
  },
  exfat: (image) => fillExfat(image, Object.fromEntries(FILES.map((file, at) => [`file${at}`, readFileSync(file)]))),
};

/** What makes each volume, and how many megabytes it has. */
const CASES: [name: string, mib: number, fill: Filler, make: string][] = [
  ["FAT12", 8, "fat", "mkfs.fat -F 12"],
  ["FAT16", 40, "fat", "mkfs.fat -F 16 -s 2"],
  ["FAT32", 48, "fat", "mkfs.fat -F 32 -s 1"],
  ["exFAT", 40, "exfat", "mkfs.exfat -c 4K"],
  ["NTFS", 32, "ntfs", "mkntfs -F -q"],
  ["NTFS, clusters of 64 KiB", 64, "ntfs", "mkntfs -F -q -c 65536"],
  ["ext2, 1 KiB", 40, "ext", "mke2fs -q -t ext2 -b 1024"],
  ["ext4", 160, "ext", "mke2fs -q -t ext4 -b 4096 -g 8192"],
  ["ext4, 64-bit, meta_bg", 96, "ext", "mke2fs -q -t ext4 -b 1024 -O 64bit,meta_bg,^resize_inode"],
  ["ext4, clusters of 64 KiB", 96, "ext", "mke2fs -q -t ext4 -O bigalloc -C 65536"],
  ["ext4, two superblocks", 96, "ext", "mke2fs -q -t ext4 -b 1024 -O sparse_super2,^resize_inode"],
];

/** Tools that find faults, and change nothing. */
const JUDGES: Record<Filler, [tool: string, option: string]> = {
  fat: ["fsck.fat", "-n"],
  exfat: ["fsck.exfat", "-n"],
  ntfs: ["ntfsfix", "-n"],
  ext: ["e2fsck", "-fn"],
};

const fileOf = (name: string) => `${name.replaceAll(/\W/g, "")}.img`;

/** Free bytes of a volume as its own tools count them. */
function freeBytes(kind: Filler, image: string): number {
  const number = (pattern: RegExp, text: string) => Number(pattern.exec(text)?.[1]);
  if (kind === "ext") {
    const text = run("dumpe2fs", ["-h", image]);
    return number(/Free blocks:\s+(\d+)/, text) * number(/Block size:\s+(\d+)/, text);
  }
  if (kind === "ntfs") {
    const text = run("ntfsinfo", ["-m", image]);
    return number(/Free Clusters: (\d+)/, text) * number(/Cluster Size: (\d+)/, text);
  }
  if (kind === "exfat") {
    const text = run("dump.exfat", [image]);
    return number(/Free Clusters:\s+(\d+)/, text) * number(/Cluster size:\s+(\d+)/, text);
  }
  const text = run("fsck.fat", ["-nv", image]);
  const [, used, all] = /(\d+)\/(\d+) clusters/.exec(text) ?? [];
  return (Number(all) - Number(used)) * number(/(\d+) bytes per cluster/, text);
}

/** A copy that has only what is in use, and how much that is. */
async function copyOfUsed(image: string): Promise<{ copy: string; usedBytes: number }> {
  const source = memory(image);
  const reading = await volumeAllocation(source);
  if (!reading?.ok) throw new Error(`not read: ${reading?.why}`);
  const out = new Uint8Array(source.sizeBytes);
  let usedBytes = 0;
  for (let at = 0; at < source.sizeBytes; at += MIB)
    for (const { start, lengthBytes } of await reading.allocation.rangesIn(at, Math.min(MIB, source.sizeBytes - at))) {
      out.set(await source.read(start, lengthBytes), start);
      usedBytes += lengthBytes;
    }
  const copy = `${image}.used`;
  writeFileSync(copy, out);
  return { copy, usedBytes };
}

test.each(CASES)("%s: only what is in use, and all of it", async (name, mib, fill, make) => {
  const image = w.blank(fileOf(name), mib);
  const [tool = "", ...options] = make.split(" ");
  run(tool, [...options, image]);
  MAKERS[fill](image);
  const { copy, usedBytes } = await copyOfUsed(image);
  const [judge, option] = JUDGES[fill];
  expect(run(judge, [option, copy])).not.toMatch(/corrupt|error/i);
  // Their own count of what is free is what we leave out; what lies past the last whole unit is always kept.
  expect(mib * MIB - usedBytes).toBe(freeBytes(fill, image));
  expect(freeBytes(fill, image)).toBeGreaterThan(mib * MIB * 0.2);
  for (const at of [0, 2, 3]) {
    const whole = readFileSync(FILES[at] as string);
    const read = {
      fat: ["mtype", "-i", copy, `::/file${at}`],
      ext: ["debugfs", "-R", `cat file${at}`, copy],
      ntfs: ["ntfscat", copy, `file${at}`],
    };
    const how = read[fill as keyof typeof read];
    if (how) expect(run(how[0] as string, how.slice(1)).trim()).toBe(whole.toString("latin1"));
  }
});

test("a volume that was not left in order is not believed", async () => {
  const why = async (image: string) => {
    const reading = await volumeAllocation(memory(image));
    return reading && !reading.ok ? reading.why : reading;
  };
  const patch = (image: string, at: number, change: (byte: number) => number) => {
    const bytes = readFileSync(image);
    bytes[at] = change(bytes[at] as number);
    writeFileSync(image, bytes);
  };
  const ext = w.blank("open-ext.img", 16);
  run("mke2fs", ["-q", "-t", "ext4", ext]);
  // The journal is to be taken in (ext4: needs_recovery), as debugfs sets it.
  run("debugfs", ["-w", "-R", "feature needs_recovery", ext]);
  expect(await why(ext)).toBe("not-left-in-order");
  const exfat = w.blank("open-exfat.img", 16);
  run("mkfs.exfat", [exfat]);
  // exFAT 3.1.13.2: VolumeDirty is bit 1 of the field at 106.
  patch(exfat, 106, (byte) => byte | 2);
  expect(await why(exfat)).toBe("not-left-in-order");
  const ntfs = w.blank("open-ntfs.img", 16);
  run("mkntfs", ["-F", "-q", ntfs]);
  expect(await why(ntfs)).toMatchObject({ ok: true });
  // ntfsfix marks a volume to be checked by Windows where it could not mend it; ntfs-3g's own log stays empty.
  run("ntfsfix", [ntfs]);
  expect(await why(ntfs)).toBe("not-left-in-order");
});

test("whatever the bytes are, it ends, and never with ranges outside", async () => {
  const roll = dice(23);
  let read = 0;
  for (const [name, mib] of CASES.filter(([, mib]) => mib <= 40)) {
    const bytes = new Uint8Array(readFileSync(w.path(fileOf(name))));
    for (let round = 0; round < 6; round++) {
      const changed = bytes.slice(0, roll(3) === 0 ? roll(bytes.length) : bytes.length);
      for (let change = 0; change < 40; change++) changed[roll(Math.min(changed.length, 4 * MIB))] = roll(256);
      const reading = await volumeAllocation(new MemorySource(changed));
      if (!reading?.ok) continue;
      read++;
      for (const start of [0, 5 * MIB, mib * MIB - 4096]) {
        const ranges = await reading.allocation.rangesIn(start, 4096);
        for (const range of ranges) expect(range.start + range.lengthBytes).toBeLessThanOrEqual(start + 4096);
      }
    }
  }
  expect(read).toBeGreaterThan(10);
});
