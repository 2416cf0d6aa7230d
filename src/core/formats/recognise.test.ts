import { readFileSync, truncateSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { type FileSystemKind, recogniseVolume } from "./recognise";

// Reference: the tools that make such volumes; the label is the one that they were given.
const w = tempWorkshop();

const made: [FileSystemKind, string, number, (image: string) => string[]][] = [
  ["ext2", "Kit 2", 8, (image) => ["mke2fs", "-q", "-F", "-t", "ext2", "-L", "Kit 2", image]],
  ["ext3", "Kit 3", 16, (image) => ["mke2fs", "-q", "-F", "-t", "ext3", "-L", "Kit 3", image]],
  ["ext4", "Kit 4", 16, (image) => ["mke2fs", "-q", "-F", "-t", "ext4", "-L", "Kit 4", image]],
  [
    "btrfs",
    "A longer name than others have room for",
    120,
    (image) => ["mkfs.btrfs", "-q", "-L", "A longer name than others have room for", image],
  ],
  ["xfs", "kit xfs", 320, (image) => ["mkfs.xfs", "-q", "-f", "-L", "kit xfs", image]],
  ["f2fs", "Kit für f2fs", 64, (image) => ["mkfs.f2fs", "-q", "-f", "-l", "Kit für f2fs", image]],
  ["jfs", "Kit jfs", 32, (image) => ["mkfs.jfs", "-q", "-L", "Kit jfs", image]],
  ["nilfs2", "Kit nilfs", 160, (image) => ["mkfs.nilfs2", "-q", "-f", "-L", "Kit nilfs", image]],
  ["reiserfs", "Kit reiser", 64, (image) => ["mkfs.reiserfs", "-q", "-f", "-f", "-l", "Kit reiser", image]],
  ["ntfs", "Kit für NTFS", 16, (image) => ["mkntfs", "-F", "-q", "-L", "Kit für NTFS", image]],
  ["exfat", "Kit exFAT", 16, (image) => ["mkfs.exfat", "-L", "Kit exFAT", image]],
  ["swap", "Kit swap", 16, (image) => ["mkswap", "-q", "-L", "Kit swap", image]],
  ["swap", "Large pages", 16, (image) => ["mkswap", "-q", "-p", "65536", "-L", "Large pages", image]],
  ["udf", "Kit UDF", 16, (image) => ["mkudffs", "--label=Kit UDF", "--media-type=hd", image]],
];

test.each(made)("%s, called %s", async (kind, label, sizeMiB, command) => {
  const image = w.blank(`${kind}.img`, sizeMiB);
  const [tool, ...args] = command(image) as [string, ...string[]];
  run(tool, args);
  expect(await recogniseVolume(memory(image))).toEqual({ kind, label });
});

test("a volume without a label has none", async () => {
  for (const [kind, command] of [
    ["f2fs", ["mkfs.f2fs", "-q", "-f"]],
    ["swap", ["mkswap", "-q"]],
    ["jfs", ["mkfs.jfs", "-q"]],
    ["ntfs", ["mkntfs", "-F", "-q"]],
  ] as const) {
    const image = w.blank(`plain-${kind}.img`, 64);
    const [tool, ...args] = command;
    run(tool, [...args, image]);
    expect(await recogniseVolume(memory(image))).toEqual({ kind, label: null });
  }
});

test("LUKS of both versions; the second has a label", async () => {
  for (const [version, label] of [
    ["luks1", null],
    ["luks2", "Kit locked"],
  ] as const) {
    const image = w.blank(`${version}.img`, 32);
    const cost =
      version === "luks2"
        ? ["--pbkdf-memory", "32", "--pbkdf-parallel", "1", "--pbkdf-force-iterations", "4"]
        : ["--pbkdf-force-iterations", "1000"];
    run(
      "cryptsetup",
      ["-q", "luksFormat", "--type", version, ...cost, ...(label ? ["--label", label] : []), image, "-"],
      { input: "secret" },
    );
    expect(await recogniseVolume(memory(image))).toEqual({ kind: "luks", label });
  }
});

test("erofs, and APFS", async () => {
  const tree = w.path("erofs.tree");
  run("mkdir", ["-p", tree]);
  w.text("erofs.tree/a.txt", "a");
  run("mkfs.erofs", ["-d0", w.path("erofs.img"), tree]);
  expect((await recogniseVolume(memory(w.path("erofs.img")))).kind).toBe("erofs");
  run("mkapfs", ["-L", "Kit", w.blank("apfs.img", 640)]);
  expect(await recogniseVolume(memory(w.path("apfs.img")))).toEqual({ kind: "apfs", label: "Kit" });
});

test("HFS+ as xorriso writes it beside a disc, by the name of its root", async () => {
  const tree = w.path("hfs.tree");
  run("mkdir", ["-p", tree]);
  w.text("hfs.tree/a.txt", "a");
  run("xorriso", ["-as", "mkisofs", "-quiet", "-hfsplus", "-V", "Kit HFS", "-o", w.path("hfs.iso"), tree]);
  const disc = readFileSync(w.path("hfs.iso"));
  // Its volume header, "H+" and version 4, stands 1,024 bytes behind its beginning.
  const at = disc.indexOf(Buffer.from("H+\0\x04", "latin1"));
  expect(at).toBeGreaterThan(1024);
  const volume = new MemorySource(new Uint8Array(disc.subarray(at - 1024)));
  expect(await recogniseVolume(volume)).toEqual({ kind: "hfs+", label: "Kit HFS" });
});

test("an ISO 9660 label that Joliet has no room for is told whole; its letters are Joliet's otherwise", async () => {
  const tree = w.path("iso.tree");
  run("mkdir", ["-p", tree]);
  w.text("iso.tree/a.txt", "a");
  for (const [given, told] of [
    ["RESCUE_KIT_OF_THE_WORKSHOP_2026", "RESCUE_KIT_OF_THE_WORKSHOP_2026"],
    ["Rescue kit", "Rescue kit"],
  ] as const) {
    run("xorriso", ["-as", "mkisofs", "-quiet", "-J", "-V", given, "-o", w.path("label.iso"), tree]);
    expect(await recogniseVolume(memory(w.path("label.iso")))).toEqual({ kind: "iso9660", label: told });
  }
});

test("BitLocker, on a fixed disk and to go, by the marks in its boot sector", async () => {
  const sector = new Uint8Array(4096);
  sector.set([0xeb, 0x58, 0x90]);
  sector.set(new TextEncoder().encode("-FVE-FS-"), 3);
  expect((await recogniseVolume(new MemorySource(sector))).kind).toBe("bitlocker");
  sector.set(new TextEncoder().encode("MSWIN4.1"), 3);
  sector.set(Buffer.from("3bd66749292ed84a8399f6a339e3d001", "hex"), 0x1a8);
  expect((await recogniseVolume(new MemorySource(sector))).kind).toBe("bitlocker");
});

test("LVM's label may stand in any of the first four sectors; noise is nothing", async () => {
  for (const sector of [0, 1, 2, 3]) {
    const bytes = new Uint8Array(8192);
    bytes.set(new TextEncoder().encode("LABELONE"), sector * 512);
    expect((await recogniseVolume(new MemorySource(bytes))).kind).toBe("lvm");
  }
  writeFileSync(w.path("noise"), Buffer.alloc(100_000, "noise and nothing else "));
  expect(await recogniseVolume(memory(w.path("noise")))).toEqual({ kind: null, label: null });
  truncateSync(w.path("noise"), 100);
  expect(await recogniseVolume(memory(w.path("noise")))).toEqual({ kind: null, label: null });
});
