import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { run } from "../../../scripts/media/workshop";
import { dice } from "../../../test/support/dice";
import { putVolume, volumeOf } from "../../../test/support/disks";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { type ByteSource, MemorySource, ReadFailed } from "../kernel/source";
import { type Device, DeviceFault } from "../making/writing/device";
import { ImageReader } from "./reading";
import { neededBytes, planRestore, restoreDisk } from "./restoring";
import { type Packer, type SaveOptions, type SaveResult, saveDisk } from "./saving";
import { planSaving, type SectorBytes, savedRanges } from "./saving-plan";

// References: sgdisk and sfdisk make and judge tables, e2fsck, fsck.fat and ntfsfix the file systems that came back, and
// Debian's zstd unpacks the blocks.
const MIB = 1 << 20;
const w = tempWorkshop();
const zstd = createRequire(__filename)("@bokuweb/zstd-wasm");
beforeAll(() => zstd.init());

const packer: Packer = {
  atOnce: 3,
  pack: async (block) => zstd.compress(block, 1),
};

class MemorySink {
  readonly pieces: Uint8Array[] = [];
  async write(bytes: Uint8Array): Promise<void> {
    this.pieces.push(bytes.slice());
  }
  get bytes(): Uint8Array {
    return new Uint8Array(Buffer.concat(this.pieces));
  }
}

class MemoryDisk implements Device {
  readonly bytes: Uint8Array;
  readonly identity;
  writesLeft = Number.POSITIVE_INFINITY;
  constructor(size: number, sectorBytes: 512 | 4096 = 512, fill = 0x5a) {
    this.bytes = new Uint8Array(size).fill(fill);
    this.identity = { kind: "disk", model: "M", serial: null, bytes: size, sectorBytes } as const;
  }
  get sizeBytes(): number {
    return this.bytes.length;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    return this.bytes.slice(offset, offset + length);
  }
  async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (this.writesLeft-- <= 0) throw new DeviceFault("gone");
    this.bytes.set(bytes, offset);
  }
  async flush(): Promise<void> {}
  async close(): Promise<void> {}
}

const ABOUT: SaveOptions["about"] = {
  id: "00112233445566778899aabbccddeeff",
  made: "2026-12-01T08:00:00Z",
  by: "Creel",
  computer: { tag: "HO-001", serial: null, uuid: null },
  disk: { name: "sda", model: null, serial: null },
};

type Saved = Extract<SaveResult, { state: "saved" }> & { file: Uint8Array };

async function save(
  disk: ByteSource,
  more: Partial<SaveOptions> & { partitions?: number[]; sectorBytes?: SectorBytes } = {},
): Promise<Saved> {
  const { partitions = null, sectorBytes = 512, ...options } = more;
  const sink = new MemorySink();
  const plan = await planSaving(disk, { sectorBytes, partitions });
  const result = await saveDisk({ disk, plan, packer, sink, about: ABOUT, ...options });
  if (result.state !== "saved") throw new Error(result.state);
  expect(result.fileBytes).toBe(sink.bytes.length);
  return { ...result, file: sink.bytes };
}

async function open(file: Uint8Array, before?: Uint8Array): Promise<ImageReader> {
  const opened = await ImageReader.open(new MemorySource(file), async () => (before ? new MemorySource(before) : null));
  if (!opened.ok) throw new Error(opened.fault.code);
  return opened.reader;
}

async function restored(image: ImageReader, disk: MemoryDisk, name: string): Promise<string> {
  const planned = await planRestore(image, { bytes: disk.sizeBytes, sectorBytes: disk.identity.sectorBytes });
  if (!planned.ok) throw new Error(planned.why.code);
  expect(await restoreDisk({ image, device: disk, plan: planned.plan })).toMatchObject({ state: "restored" });
  const path = w.path(name);
  writeFileSync(path, disk.bytes);
  return path;
}

const letters = (bytes: number, seed: number) => {
  const roll = dice(seed);
  return Array.from({ length: bytes }, () => String.fromCharCode(97 + roll(26))).join("");
};
const BIG = w.text("big", letters(900_000, 1));
const SMALL = w.text("small", letters(5_000, 2));

/** A disk with the usual four partitions: start files, a reserved one, a system, and data. */
function diskOf(name: string, mib: number): string {
  const disk = w.blank(name, mib);
  run("sgdisk", [
    "-n",
    "1:2048:+34M",
    "-t",
    "1:ef00",
    "-n",
    "2:0:+1M",
    "-t",
    "2:0c01",
    "-n",
    "3:0:+20M",
    "-t",
    "3:8300",
    "-n",
    `4:0:+20M`,
    "-t",
    "4:0700",
    "-c",
    "3:Bridge",
    disk,
  ]);
  putVolume(w, disk, 1, 34, (image) => {
    run("mkfs.fat", ["-F", "32", "-s", "1", image]);
    run("mcopy", ["-i", image, SMALL, "::/start"]);
  });
  putVolume(w, disk, 36, 20, (image) => {
    run("mke2fs", ["-q", "-t", "ext4", image]);
    run("debugfs", ["-w", "-R", `write ${BIG} system`, image]);
  });
  putVolume(w, disk, 56, 20, (image) => {
    run("mkntfs", ["-F", "-q", image]);
    run("ntfscp", ["-q", "-f", image, BIG, "data"]);
  });
  return disk;
}

const DISK = diskOf("disk.img", 96);

function judge(disk: string): void {
  expect(run("sgdisk", ["-v", disk])).toContain("No problems found");
  run("fsck.fat", ["-n", volumeOf(disk, 1, 34)]);
  expect(run("mtype", ["-i", `${disk}.1`, "::/start"])).toBe(readFileSync(SMALL, "utf8"));
  run("e2fsck", ["-fn", volumeOf(disk, 36, 20)]);
  expect(run("debugfs", ["-R", "cat system", `${disk}.36`])).toBe(readFileSync(BIG, "utf8"));
  run("ntfsfix", ["-n", volumeOf(disk, 56, 20)]);
  expect(run("ntfscat", [`${disk}.56`, "data"])).toBe(readFileSync(BIG, "utf8"));
}

test("a disk comes back onto one of its size, and onto a larger one", async () => {
  const saved = await save(memory(DISK));
  const { partitions, blocks } = saved.manifest;
  expect(partitions.map(({ number, filesystem, saved: what }) => [number, filesystem, what])).toEqual([
    [1, "fat32", "used"],
    [2, null, "all"],
    [3, "ext4", "used"],
    [4, "ntfs", "used"],
  ]);
  // What is in use is some ten megabytes: of the rest nothing is in the image.
  expect(blocks.count - blocks.zero).toBeLessThan(40);
  const image = await open(saved.file);
  expect(await image.verify()).toEqual([]);
  judge(await restored(image, new MemoryDisk(96 * MIB), "same.img"));
  const larger = await restored(image, new MemoryDisk(150 * MIB), "larger.img");
  judge(larger);
  // The last usable sector is before the copy at the true end: UEFI 2.10, 5.3.2.
  expect(run("sgdisk", ["-p", larger])).toContain(`last usable sector is ${(150 * MIB) / 512 - 34}`);
  expect(run("sgdisk", ["-i", "3", larger])).toContain("'Bridge'");
});

test("every byte that a file system uses is the one that was there", async () => {
  const disk = memory(DISK);
  const image = await open((await save(disk)).file);
  const plan = await planSaving(disk, { sectorBytes: 512, partitions: null });
  let compared = 0;
  for (const { start, lengthBytes } of await savedRanges(plan, 0, disk.sizeBytes)) {
    expect(Buffer.compare(await image.read(start, lengthBytes), await disk.read(start, lengthBytes))).toBe(0);
    compared += lengthBytes;
  }
  expect(compared).toBe(plan.savedBytes);
});

test("onto a smaller disk where all partitions fit; else what it needs is told", async () => {
  const image = await open((await save(memory(DISK))).file);
  const needed = neededBytes(image.manifest);
  expect(needed).toBeLessThan(77 * MIB);
  judge(await restored(image, new MemoryDisk(needed), "least.img"));
  const refused = await planRestore(image, { bytes: needed - 512, sectorBytes: 512 });
  expect(refused).toEqual({ ok: false, why: { code: "too-small", neededBytes: needed, diskBytes: needed - 512 } });
  expect(await planRestore(image, { bytes: 200 * MIB, sectorBytes: 4096 })).toMatchObject({
    why: { code: "other-sectors" },
  });
});

test("one partition comes back where it was, and nothing else is touched", async () => {
  const image = await open((await save(memory(DISK), { partitions: [1, 3] })).file);
  expect(image.manifest.partitions.map(({ saved }) => saved)).toEqual(["used", "nothing", "used", "nothing"]);
  const disk = new MemoryDisk(96 * MIB);
  const only = (numbers: number[]) => ({ numbers, onTarget: [{ start: 36 * MIB, lengthBytes: 20 * MIB }] });
  const target = { bytes: disk.sizeBytes, sectorBytes: 512 };
  const planned = await planRestore(image, target, only([3]));
  if (!planned.ok) throw new Error(planned.why.code);
  expect(await restoreDisk({ image, device: disk, plan: planned.plan })).toMatchObject({ state: "restored" });
  const outside = [disk.bytes.subarray(0, 36 * MIB), disk.bytes.subarray(56 * MIB)];
  expect(outside.every((part) => part.every((byte) => byte === 0x5a))).toBe(true);
  writeFileSync(w.path("one.img"), disk.bytes);
  run("e2fsck", ["-fn", volumeOf(w.path("one.img"), 36, 20)]);
  const refusals = await Promise.all([[4], [9], [1]].map((numbers) => planRestore(image, target, only(numbers))));
  expect(refusals.map((each) => (each.ok ? null : each.why.code))).toEqual([
    "partition-not-saved",
    "no-such-partition",
    "partition-elsewhere",
  ]);
});

test("an image goes on from the one before: only what changed is saved, and each point in time comes back", async () => {
  const first = await save(memory(DISK));
  const changed = new Uint8Array(readFileSync(DISK));
  const at = changed.length - 22 * MIB;
  changed.set(new TextEncoder().encode("changed since"), 37 * MIB);
  const before = await open(first.file);
  const second = await save(new MemorySource(changed), { before, about: { ...ABOUT, id: "1".repeat(32) } });
  expect(second.manifest.blocks.packed).toBeLessThan(3);
  expect(second.manifest.blocks.before).toBeGreaterThan(10);
  expect(second.file.length).toBeLessThan(first.file.length / 2);
  const image = await open(second.file, first.file);
  expect(await image.verify()).toEqual([]);
  expect(Buffer.from(await image.read(37 * MIB, 13)).toString()).toBe("changed since");
  expect(await image.read(at, 4096)).toEqual(await before.read(at, 4096));
  // Without the one before, or with another one, it says so.
  const alone = await ImageReader.open(new MemorySource(second.file));
  expect(alone).toEqual({ ok: false, fault: { code: "before-missing", id: ABOUT.id } });
  const other = await save(memory(DISK), { about: { ...ABOUT, made: "2026-12-01T09:00:00Z" } });
  const mixed = await ImageReader.open(new MemorySource(second.file), async () => new MemorySource(other.file));
  expect(mixed).toEqual({ ok: false, fault: { code: "before-differs", id: ABOUT.id } });
});

/** A disk that does not give some places, however small the piece that is read. */
function failing(disk: ByteSource, bad: { start: number; lengthBytes: number }[]): ByteSource {
  return {
    sizeBytes: disk.sizeBytes,
    read: async (offset, length) => {
      if (bad.some((each) => each.start < offset + length && each.start + each.lengthBytes > offset))
        throw new ReadFailed(offset, length);
      return disk.read(offset, length);
    },
  };
}

test("a disk with bad places: all else is saved, and what was not read is named", async () => {
  const good = memory(DISK);
  const content = Buffer.from(readFileSync(DISK)).indexOf(readFileSync(BIG).subarray(0, 4096)) + 40 * 1024;
  const bad = [{ start: content, lengthBytes: 512 }];
  const { manifest, file } = await save(failing(good, bad));
  expect(manifest.unread).toEqual([{ start: Math.floor(content / 4096) * 4096, bytes: 4096 }]);
  const image = await open(file);
  expect(await image.verify()).toEqual([]);
  const [from, to] = [Math.floor(content / 4096) * 4096, Math.floor(content / 4096) * 4096 + 4096];
  expect(
    Buffer.compare(
      await image.read(MIB, from - MIB),
      await (await open((await save(good)).file)).read(MIB, from - MIB),
    ),
  ).toBe(0);
  expect(Buffer.compare(await image.read(to, 65536), await good.read(to, 65536))).toBe(0);
});

test("a bad place in a map or in the table: nothing is left out on a guess", async () => {
  const good = memory(DISK);
  // The block of group descriptors of the ext4 system, and the first sector of the disk.
  const bad = [
    { start: 36 * MIB + 4096, lengthBytes: 512 },
    { start: 0, lengthBytes: 512 },
  ];
  const map = await save(failing(good, bad.slice(0, 1)));
  expect(map.manifest.partitions[2]).toMatchObject({ saved: "all", doubt: "maps-damaged", savedBytes: 20 * MIB });
  expect(map.manifest.unread).toEqual([{ start: 36 * MIB + 4096, bytes: 4096 }]);
  const table = await save(failing(good, bad.slice(1)));
  expect(table.manifest.unread).toEqual([{ start: 0, bytes: 4096 }]);
  const image = await open(table.file);
  expect(Buffer.compare(await image.read(4096, 95 * MIB), await good.read(4096, 95 * MIB))).toBe(0);
});

test("an MBR with logical drives, by sfdisk", async () => {
  const disk = w.blank("mbr.img", 64);
  run("sfdisk", ["-q", disk], { input: "2048,20480,83,*\n22528,,5\n24576,20480,83\n49152,20480,83\n" });
  const image = w.blank("logical.img", 10);
  run("mke2fs", ["-q", "-t", "ext2", image]);
  run("debugfs", ["-w", "-R", `write ${BIG} logical`, image]);
  run("dd", [`if=${image}`, `of=${disk}`, "bs=512", "seek=49152", "conv=notrunc"]);
  const saved = await save(memory(disk));
  expect(saved.manifest.partitions.map(({ number, saved: what }) => [number, what])).toEqual([
    [1, "all"],
    [5, "all"],
    [6, "used"],
  ]);
  const back = await restored(await open(saved.file), new MemoryDisk(80 * MIB, 512, 0), "mbr-back.img");
  const table = (path: string) =>
    run("sfdisk", ["-d", path])
      .replaceAll(path, "disk")
      .replace(/^last-lba.*$/m, "");
  expect(table(back)).toBe(table(disk));
  run("dd", [`if=${back}`, `of=${image}`, "bs=512", "skip=49152", "count=20480"]);
  run("e2fsck", ["-fn", image]);
});

test("a table of logical drives that the disk does not give: all of the disk is saved", async () => {
  const disk = w.blank("bad-chain.img", 40);
  run("sfdisk", ["-q", disk], { input: "2048,20480,83,*\n22528,,5\n24576,20480,83\n49152,20480,83\n" });
  // Where the second one begins, sfdisk says itself: one sector of the chain behind the first drive.
  const second = (49_152 - 2048) * 512;
  const saved = await save(failing(memory(disk), [{ start: second, lengthBytes: 512 }]));
  expect(saved.manifest).toMatchObject({ table: "none", unread: [{ start: second, bytes: 4096 }] });
});

test("tables of logical drives come back, wherever in a long gap they stand", async () => {
  const disk = w.blank("chain.img", 300);
  // 1 primary; an extended one from 16 MiB on, with drives at 17 and at 250 MiB.
  run("sfdisk", ["-q", disk], { input: "2048,20480,83\n32768,581632,5\n34816,2048,83\n512000,4096,83\n" });
  const bytes = new Uint8Array(readFileSync(disk));
  const fields = new DataView(bytes.buffer);
  // The second table, moved to 130 MiB: it counts its drive from itself, and the first one its place from the extended one.
  const [from, to] = [(512_000 - 2048) * 512, 130 * MIB];
  expect(fields.getUint16(from + 510, true)).toBe(0xaa55);
  bytes.copyWithin(to, from, from + 512);
  bytes.fill(0, from, from + 512);
  fields.setUint32(to + 446 + 8, 512_000 - to / 512, true);
  fields.setUint32(32_768 * 512 + 462 + 8, to / 512 - 32_768, true);
  writeFileSync(disk, bytes);
  expect(run("sfdisk", ["-d", disk])).toMatch(/chain\.img6 : start= +512000, size= +4096/);
  const back = await restored(
    await open((await save(memory(disk))).file),
    new MemoryDisk(300 * MIB, 512, 0),
    "chain-back.img",
  );
  expect(run("sfdisk", ["-d", back]).replaceAll(back, disk)).toBe(run("sfdisk", ["-d", disk]));
});

test("a file system without a table; sectors of 4,096 bytes; a disk that ends in the middle of a block", async () => {
  const bare = w.blank("bare.img", 20);
  run("mke2fs", ["-q", "-t", "ext4", bare]);
  run("debugfs", ["-w", "-R", `write ${BIG} bare`, bare]);
  const saved = await save(memory(bare));
  expect(saved.manifest).toMatchObject({ table: "none", partitions: [] });
  expect(saved.manifest.blocks.count).toBeLessThan(15);
  run("e2fsck", ["-fn", await restored(await open(saved.file), new MemoryDisk(20 * MIB), "bare-back.img")]);

  const odd = new Uint8Array(5 * MIB + 4096 * 3);
  odd.set(new TextEncoder().encode(letters(8000, 5)), odd.length - 8000);
  const whole = await save(new MemorySource(odd), { sectorBytes: 4096 });
  const disk = new MemoryDisk(odd.length, 4096);
  await restored(await open(whole.file), disk, "odd-back.img");
  expect(Buffer.compare(disk.bytes, odd)).toBe(0);
});

test("blocks are frames that zstd unpacks, at the places that the index names (RFC 8878)", async () => {
  const { file } = await save(memory(DISK));
  const image = await open(file);
  let unpacked = 0;
  for (const { number, kind, offset, packedBytes } of image.entries()) {
    if (kind !== "packed" || unpacked > 6) continue;
    const bytes = execFileSync("zstd", ["-d", "-c"], {
      input: file.subarray(offset, offset + packedBytes),
      maxBuffer: 1 << 24,
    });
    expect(Buffer.compare(bytes, await image.read(number * MIB, MIB))).toBe(0);
    unpacked++;
  }
  expect(unpacked).toBeGreaterThan(5);
});

test("an image that was cut off or changed says so, and is never restored as if it were whole", async () => {
  const { file } = await save(memory(DISK));
  const fault = async (bytes: Uint8Array) => {
    const opened = await ImageReader.open(new MemorySource(bytes));
    return opened.ok ? null : opened.fault.code;
  };
  expect(await fault(file.subarray(0, file.length - 1))).toBe("cut-off");
  expect(await fault(file.subarray(0, 5000))).toBe("cut-off");
  expect(await fault(new Uint8Array(4096))).toBe("not-an-image");
  const roll = dice(31);
  let found = 0;
  for (let round = 0; round < 60; round++) {
    const bytes = file.slice();
    const at = roll(bytes.length);
    bytes[at] = (bytes[at] as number) ^ (1 << roll(8));
    const opened = await ImageReader.open(new MemorySource(bytes));
    const faults = opened.ok ? (await opened.reader.verify()).length : 1;
    // A frame has bits that say nothing (RFC 8878, 3.1.1.1.1.3): the block is what was saved all the same.
    if (faults > 0) found++;
    if (!opened.ok || faults === 0) continue;
    const disk = new MemoryDisk(96 * MIB);
    const planned = await planRestore(opened.reader, { bytes: disk.sizeBytes, sectorBytes: 512 });
    if (!planned.ok) throw new Error(planned.why.code);
    await expect(restoreDisk({ image: opened.reader, device: disk, plan: planned.plan })).rejects.toBeInstanceOf(
      ReadFailed,
    );
    break;
  }
  expect(found).toBeGreaterThan(0);
});

test("a disk that goes away while it is written does not look like one that starts", async () => {
  const image = await open((await save(memory(DISK))).file);
  const planned = await planRestore(image, { bytes: 96 * MIB, sectorBytes: 512 });
  if (!planned.ok) throw new Error(planned.why.code);
  for (const writes of [1, 5, 20]) {
    const disk = new MemoryDisk(96 * MIB);
    disk.writesLeft = writes;
    const result = await restoreDisk({ image, device: disk, plan: planned.plan });
    expect(result).toMatchObject({ state: "fault", code: "gone" });
    expect(disk.bytes.subarray(510, 512)).not.toEqual(Uint8Array.of(0x55, 0xaa));
  }
});

test("whatever the bytes of an image are, it ends", async () => {
  const { file } = await save(memory(DISK));
  const roll = dice(77);
  const end = file.length - 6000;
  for (let round = 0; round < 100; round++) {
    const bytes = file.slice();
    for (let change = 0; change < 8; change++) bytes[roll(2) ? end + roll(6000) : roll(64)] = roll(256);
    const opened = await ImageReader.open(new MemorySource(bytes));
    if (opened.ok) expect(opened.reader.sizeBytes).toBe(96 * MIB);
  }
});
