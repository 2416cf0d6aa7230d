import { statSync, writeFileSync } from "node:fs";
import { basename } from "node:path";
import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { type FileGroup, groupFiles, type StoreFile } from "./grouping";
import { compareScan } from "./scan";
import { readStored } from "./stored";

const file = (path: string, bytes = 100 << 20, modified = "2026-10-30T18:00:00.000Z"): StoreFile => ({
  path,
  bytes,
  modified,
});
const told = (groups: FileGroup[]) =>
  groups.map(({ name, members, missingParts }) => [
    name,
    members.map(({ partition, files }) => `${partition ?? "-"}:${files.length}`).join(" "),
    missingParts.join(","),
  ]);

test.each<[string, StoreFile[], unknown[][]]>([
  [
    "one file each",
    [file("HO-001 2026-10-30.img.zst"), file("HO-002 2026-10-30.img")],
    [
      ["HO-001 2026-10-30", "-:1", ""],
      ["HO-002 2026-10-30", "-:1", ""],
    ],
  ],
  ["a row of parts", [file("a/x.img.001"), file("a/x.img.002"), file("a/x.img.003")], [["x", "-:3", ""]]],
  ["letters as split writes them", [file("x.img.gz.aa"), file("x.img.gz.ab")], [["x", "-:2", ""]]],
  ["a part that is missing", [file("x.001"), file("x.003"), file("x.004")], [["x", "-:3", "2"]]],
  ["a split archive", [file("sys.swm"), file("sys2.swm"), file("sys3.swm")], [["sys", "-:3", ""]]],
  [
    "partitions of one disk",
    [file("HO-1/sda1.img.gz", 9), file("HO-1/sda2.img.gz", 9), file("HO-1/sda10.img.gz", 9)],
    [["HO-1", "sda1:1 sda2:1 sda10:1", ""]],
  ],
  [
    "partitions beside each other by their name",
    [file("HO-1-nvme0n1p1.img"), file("HO-1-nvme0n1p3.img"), file("HO-2-nvme0n1p1.img")],
    [
      ["HO-1", "nvme0n1p1:1 nvme0n1p3:1", ""],
      ["HO-2", "nvme0n1p1:1", ""],
    ],
  ],
  [
    "partitions of two days",
    [
      file("sda1.img", 9),
      file("sda2.img", 9, "2026-10-30T19:00:00.000Z"),
      file("sda1.raw", 9, "2026-11-30T18:00:00.000Z"),
    ],
    [
      ["", "sda1:1 sda2:1", ""],
      ["", "sda1:1", ""],
    ],
  ],
  ["what is no image", [file("readme.txt", 500), file("photo.jpg", 5000), file("thumbs.db", 900)], []],
])("%s", (_what, files, expected) => {
  expect(told(groupFiles(files))).toEqual(expected);
});

test("sums, logs and notes lie beside their image", () => {
  const files = [
    file("a/x.img"),
    file("a/x.img.sha256", 99),
    file("a/x.log", 99),
    file("a/y.log", 9),
    file("x.log", 9),
  ];
  expect(groupFiles(files)[0]?.beside.map(({ path }) => path)).toEqual(["a/x.img.sha256", "a/x.log"]);
});

describe("against what was known", () => {
  const known = [
    { image: "one", files: [file("one.img")] },
    { image: "two", files: [file("two.img", 70 << 20)] },
    { image: "three", files: [file("three.001"), file("three.002")] },
    { image: "four", files: [file("four.img")] },
  ];
  const compared = (files: StoreFile[]) => {
    const { groups, missing } = compareScan(groupFiles(files), known);
    return [groups.map(({ group, state }) => `${group.key} ${state.state}`), missing.map(({ image }) => image)];
  };

  test("same, new, moved, changed and missing are told apart", () => {
    expect(
      compared([
        file("one.img", 100 << 20, "2026-10-30T18:00:01.500Z"),
        file("old/two.img", 70 << 20),
        file("three.001"),
        file("five.img"),
      ]),
    ).toEqual([["five.img new", "old/two.img moved", "one.img same", "three.001 changed"], ["four"]]);
    expect(
      compared([
        file("one.img", 99 << 20),
        file("two.img", 70 << 20),
        file("four.img", 100 << 20, "2026-11-01T00:00:00.000Z"),
      ])[0],
    ).toEqual(["four.img changed", "one.img changed", "two.img same"]);
  });

  test("a copy beside the original is new, and nothing has moved", () => {
    expect(compared([file("one.img"), file("copies/one.img")])[0]).toEqual(["copies/one.img new", "one.img same"]);
  });
});

// References: sgdisk, sfdisk, mkfs.fat, mkfs.ntfs, mke2fs, gzip, xz, zstd, split, wimcapture.
describe("containers", () => {
  const w = tempWorkshop();
  const esp = w.fat("esp.fat", 34, 32, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-s", "1"]);
  const system = w.blank("system.ext4", 20);
  run("mke2fs", ["-q", "-t", "ext4", "-L", "system", system]);
  const uefi = w.gpt(
    "uefi.img",
    64,
    ["-n", "1:2048:+34M", "-t", "1:ef00", "-c", "1:EFI", "-n", "2:0:+20M", "-t", "2:8304", "-c", "2:root"],
    { 1: esp, 2: system },
  );
  const MIB = 1 << 20;
  const bios = w.mbr("bios.img", 48, "2048,40960,7,*\n,,83", { [MIB]: w.blank("empty.part", 1), [21 * MIB]: system });
  const stored = (path: string): StoreFile => ({ path: basename(path), bytes: statSync(path).size, modified: null });
  const read = async (...paths: string[]) => {
    const [group, ...more] = groupFiles(paths.map(stored));
    if (!group || more.length > 0) throw new Error("It is no single image.");
    return readStored(group, async (path) => memory(w.path(path)));
  };
  const compress = (command: string) => run("sh", ["-c", `cd ${w.folder} && ${command}`]);

  const UEFI_DISK = {
    container: "disk",
    diskBytes: 64 * MIB,
    sectorBytes: 512,
    table: "gpt",
    mode: "uefi",
    partitions: [
      { name: "1", role: "esp", filesystem: "fat32", lengthBytes: 34 * MIB },
      { name: "2", role: "system", lengthBytes: 20 * MIB },
    ],
  };

  test("a raw disk, also split", async () => {
    expect(await read(uefi)).toMatchObject({ ...UEFI_DISK, compression: null, findings: [] });
    compress("split -b 20M -d -a 3 --numeric-suffixes=1 uefi.img row.img.");
    const row = await read(...[1, 2, 3, 4].map((part) => w.path(`row.img.00${part}`)));
    expect(row).toMatchObject({ ...UEFI_DISK, findings: [] });
    expect(row.partitions[1]?.filesystem).toBe("ext4");
    expect((await read(w.path("row.img.001"), w.path("row.img.003"))).findings).toContainEqual({
      code: "part-missing",
      parts: [2],
    });
  });

  test.each([
    ["gzip -k -c uefi.img > uefi.img.gz", "uefi.img.gz", "gzip"],
    ["xz -k -0 -c uefi.img > uefi.img.xz", "uefi.img.xz", "xz"],
    ["zstd -q -k -c uefi.img > uefi.img.zst", "uefi.img.zst", "zstd"],
  ])("compressed, its tables tell the disk: %s", async (command, path, compression) => {
    compress(command);
    expect(await read(w.path(path))).toMatchObject({ ...UEFI_DISK, compression, findings: [] });
  });

  test("a disk with an MBR, and its active partition", async () => {
    expect(await read(bios)).toMatchObject({
      ...{ container: "disk", diskBytes: 48 * MIB, table: "mbr", mode: "bios" },
      partitions: [
        { name: "1", active: true },
        { name: "2", active: false, filesystem: "ext4" },
      ],
    });
  });

  test("partitions each in a file of their own", async () => {
    compress("cp esp.fat HO-sda1.img && gzip -c system.ext4 > HO-sda2.img.gz");
    expect(await read(w.path("HO-sda1.img"), w.path("HO-sda2.img.gz"))).toMatchObject({
      ...{ container: "partitions", diskBytes: null, mode: "uefi" },
      partitions: [
        { name: "sda1", role: "esp", filesystem: "fat32" },
        { name: "sda2", filesystem: "ext4", label: "system" },
      ],
    });
  });

  test("archives with what they say of themselves, also split", async () => {
    writeFileSync(
      w.path("big.bin"),
      Buffer.alloc(3 * MIB, 1).map((_, at) => (at * 7919) >> 3),
    );
    compress("mkdir -p tree && cp big.bin tree/ && wimcapture tree sys.wim 'Gannet Desk' --compress=none > /dev/null");
    expect(await read(w.path("sys.wim"))).toMatchObject({
      container: "wim",
      usedBytes: 3 * MIB,
      systems: ["Gannet Desk"],
    });
    compress(
      "cp big.bin tree/b2 && cp system.ext4 tree/b3 && wimcapture tree more.wim M --compress=none >/dev/null && wimsplit more.wim sp.swm 4 > /dev/null",
    );
    expect(await read(w.path("sp.swm"))).toMatchObject({ findings: [{ code: "part-missing" }] });
  });

  test("what is damaged, or not what it is called, says so", async () => {
    compress(
      "head -c 2000 uefi.img.gz > cut.img.gz; cp uefi.img false.img.gz; head -c 70000000 /dev/urandom > noise.img",
    );
    expect((await read(w.path("cut.img.gz"))).findings).toEqual([{ code: "damaged", path: "cut.img.gz" }]);
    expect((await read(w.path("false.img.gz"))).findings).toMatchObject([{ code: "not-what-it-is-called" }]);
    expect((await read(w.path("noise.img"))).findings).toMatchObject([{ code: "unknown-content" }]);
  });
});
