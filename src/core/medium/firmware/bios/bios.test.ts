import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../../../scripts/media/workshop";
import { mayMount, mounted } from "../../../../../test/support/mounted";
import { memory, tempWorkshop } from "../../../../../test/support/workshop";
import { followDisc, followStick } from "./follow";
import { geometryOf } from "./machine";
import { recogniseStartCode } from "./start-code";
import type { StartCode } from "./view";

const w = tempWorkshop();
const firstSector = (file: string) => new Uint8Array(readFileSync(file)).subarray(0, 2048);

/** Start code as Debian's packages ship it, and as their tools leave it on a medium. */
describe("boot code", () => {
  test.each<[StartCode, string]>([
    ["classic-strict", "/usr/lib/syslinux/mbr/mbr.bin"],
    ["classic-strict", "/usr/lib/syslinux/mbr/mbr_c.bin"],
    ["classic-strict", "/usr/lib/syslinux/mbr/mbr_f.bin"],
    ["classic-numbered", "/usr/lib/syslinux/mbr/altmbr.bin"],
    ["gpt-legacy", "/usr/lib/syslinux/mbr/gptmbr.bin"],
    ["grub", "/usr/lib/grub/i386-pc/boot.img"],
    ["grub-hybrid", "/usr/lib/grub/i386-pc/boot_hybrid.img"],
    ["grub-disc", "/usr/lib/grub/i386-pc/cdboot.img"],
    ["isolinux", "/usr/lib/ISOLINUX/isolinux.bin"],
    ["isolinux", "/usr/lib/ISOLINUX/extra/isolinux-debug.bin"],
    ["memory-tester", "/boot/memtest86+x64.bin"],
    ["memory-tester", "/usr/lib/memtest86+/memtest86+x64.iso"],
    ["kernel-stub", `/boot/${readdirSync("/boot").find((name) => name.startsWith("vmlinuz-"))}`],
    ["isolinux-hybrid", "/usr/lib/ISOLINUX/isohdpfx.bin"],
    ["isolinux-hybrid", "/usr/lib/ISOLINUX/isohdppx.bin"],
    ["isolinux-hybrid", "/usr/lib/ISOLINUX/isohdpfx_c.bin"],
  ])("%s in %s", (program, file) => {
    const path = /\/[^/]+_[cf]\.bin$/.test(file) ? file.replace(/([^/]+)$/, "extra/$1") : file;
    expect(recogniseStartCode(firstSector(path))).toBe(program);
  });

  test.each<[StartCode, string, (file: string) => void]>([
    ["format-stub", "mkfs.fat", (file) => run("mkfs.fat", [file])],
    ["format-stub", "mkntfs", (file) => run("mkntfs", ["-F", "-q", file])],
    ["classic-chs", "parted", (file) => run("parted", ["-s", file, "mklabel", "msdos"])],
    ["classic-first-active", "install-mbr", (file) => run("install-mbr", ["--force", file])],
    ["blank", "sfdisk", (file) => run("sfdisk", ["-q", file], { input: "label: dos\n2048,,c\n" })],
    ["blank", "mke2fs", (file) => run("mke2fs", ["-q", file])],
  ])("%s as %s leaves it", (program, tool, make) => {
    const file = w.blank(`${tool}.img`, 16);
    make(file);
    expect(recogniseStartCode(firstSector(file).subarray(0, 512))).toBe(program);
  });

  test("anything else is unknown, and what it does is never promised", async () => {
    const bytes = new Uint8Array(2 << 20).fill(0x90, 0, 400);
    bytes.set([0x55, 0xaa], 510);
    expect(recogniseStartCode(bytes.subarray(0, 512))).toBe("unknown");
    expect((await followStick(new MemorySource(bytes))).outcome).toBe("unknown");
  });
});

describe("old-style geometry (SeaBIOS 1.16, block.c)", () => {
  const blank = new Uint8Array(512);
  test.each([
    [1007, 0, 16],
    [1008, 1, 16],
    [1_032_192, 1024, 16],
    [1_100_000, 545, 32],
    [5_000_000, 620, 128],
    [20_000_000, 1024, 255],
  ])("%d sectors are %d cylinders of %d heads where nothing else is said", (sectors, cylinders, heads) => {
    expect(geometryOf(blank, sectors)).toEqual({ cylinders, heads, sectorsPerTrack: 63 });
  });

  test("a partition table tells the geometry that it was made with", () => {
    const sector = new Uint8Array(512);
    sector.set([0x80, 1, 1, 0, 0x0c, 254, 63, 100, 63, 0, 0, 0, 0, 0, 1, 0], 446);
    sector.set([0x55, 0xaa], 510);
    expect(geometryOf(sector, 20_000_000)).toMatchObject({ heads: 255, sectorsPerTrack: 63 });
  });
});

describe("how a run ends", () => {
  const last = async (source: MemorySource, as: "usb" | "optical") =>
    (as === "usb" ? await followStick(source) : await followDisc(source)).steps.at(-1)?.code;

  test.each([
    ["an empty file", new Uint8Array(0), "medium-too-short", "no-boot-record"],
    ["less than a cylinder", new Uint8Array(400_000), "medium-too-short", "no-boot-record"],
    ["zeros without a mark", new Uint8Array(1 << 20), "sector-unsigned", "no-boot-record"],
  ])("%s", async (_, bytes, stick, disc) => {
    expect(await last(new MemorySource(bytes), "usb")).toBe(stick);
    expect(await last(new MemorySource(bytes), "optical")).toBe(disc);
  });

  test("active partitions that point at each other end", async () => {
    const image = new Uint8Array(readFileSync(w.mbr("loop.img", 4, "2048,4096,c,*")));
    image.set(readFileSync("/usr/lib/syslinux/mbr/mbr.bin").subarray(0, 440), 0);
    // The partition's first sector is the same code with the same table: it hands over to itself for ever.
    image.copyWithin(2048 * 512, 0, 512);
    expect(await followStick(new MemorySource(image))).toMatchObject({
      outcome: "unknown",
      steps: expect.arrayContaining([{ code: "too-many-steps" }]),
    });
  });

  test.each([
    ["header", 0, 2, "catalogue-header"],
    ["platform", 1, 0xef, "default-entry-platform"],
    ["indicator", 32, 0, "default-entry-not-startable"],
    ["sector count", 38, 0, "default-entry-empty"],
    ["address", 43, 0x7f, "default-entry-outside"],
  ])("a default entry with a wrong %s", async (_, at, byte, code) => {
    const image = new Uint8Array(
      readFileSync(
        w.iso("cd.iso", { "boot.img": w.grubDisc() }, [
          "-b",
          "boot.img",
          "-no-emul-boot",
          "-boot-load-size",
          "4",
          "-boot-info-table",
        ]),
      ),
    );
    const catalogue = new DataView(image.buffer).getUint32(17 * 2048 + 71, true) * 2048;
    expect((await followDisc(new MemorySource(image))).outcome).toBe("starts");
    image[catalogue + at] = byte;
    expect(await last(new MemorySource(image), "optical")).toBe(code);
  });
});

describe("EXTLINUX", () => {
  // Reference: extlinux of Debian, installed into a volume that the kernel has mounted. The same media were started on the
  // reference BIOS: all with their module did, also where ldlinux.sys lies in several pieces.
  const volume = (fileSystem: string, { folder = "", hasModule = true } = {}): string => {
    const image = w.blank(`extlinux-${fileSystem}.img`, fileSystem === "btrfs" ? 120 : 30);
    run(`mkfs.${fileSystem}`, ["-q", image]);
    mounted(image, "", (root) => {
      mkdirSync(join(root, folder), { recursive: true });
      run("extlinux", ["--install", join(root, folder)]);
      if (hasModule) return;
      run("chattr", ["-i", join(root, folder, "ldlinux.c32")]);
      rmSync(join(root, folder, "ldlinux.c32"));
    });
    return image;
  };
  const stick = (image: string): string => {
    const sectors = readFileSync(image).length / 512;
    const disk = w.mbr("extlinux.img", sectors / 2048 + 3, `2048,${sectors},83,*`, { 1048576: image });
    w.put(disk, 0, readFileSync("/usr/lib/syslinux/mbr/mbr.bin").subarray(0, 440));
    return disk;
  };
  const outcome = async (image: string) => (await followStick(memory(image))).outcome;
  run("mkfs.ext2", ["-q", w.blank("probe.img", 8)]);
  const whereMounted = mayMount(w.path("probe.img")) ? test : test.skip;

  whereMounted.each(["ext2", "ext3", "ext4", "btrfs"])("on %s, with its module and without", async (fileSystem) => {
    expect(await outcome(stick(volume(fileSystem)))).toBe("starts");
    const folder = fileSystem === "btrfs" ? "" : "boot/extlinux";
    expect(await outcome(stick(volume(fileSystem, { folder })))).toBe("starts");
    expect(await outcome(stick(volume(fileSystem, { hasModule: false })))).toBe("stops");
  });

  whereMounted("a part of it that was overwritten stops it", async () => {
    const image = volume("ext2");
    // LDLINUX_MAGIC, as the first sector of ldlinux.sys has it.
    const bytes = w.bytes(image);
    const at = bytes.indexOf(Buffer.from([0xfe, 0x02, 0xb2, 0x3e]), 2048) + 9_000;
    w.put(image, at, new Uint8Array([(bytes[at] as number) ^ 0xff]));
    const disk = stick(image);
    const { outcome, steps } = await followStick(memory(disk));
    expect([outcome, steps.at(-1)?.code]).toEqual(["stops", "core-damaged"]);
  });
});

describe("GRUB 0.9x", () => {
  /**
   * A disk as its installer leaves it, after stage1/stage1.h, stage2/start.S and shared.h: the first sector, a stage for
   * ext2 behind it, and the second stage as a file. With Debian's grub-legacy the same was started on the reference BIOS.
   */
  function disk({ sizeMiB = 40, stage = true, list = true, stage2 = true } = {}): Uint8Array {
    const tree = w.path("grub-legacy.tree");
    rmSync(tree, { recursive: true, force: true });
    mkdirSync(join(tree, "boot/grub"), { recursive: true });
    if (stage2) writeFileSync(join(tree, "boot/grub/stage2"), "second stage");
    const volume = w.blank("grub-legacy.vol", sizeMiB - 2);
    run("mke2fs", ["-q", "-t", "ext2", "-I", "128", "-d", tree, volume]);
    const sectors = (sizeMiB - 2) * 2048;
    const image = w.mbr("grub-legacy.img", sizeMiB, `2048,${sectors},83,*`, { 1048576: volume });
    const first = Buffer.alloc(440);
    first.set([0xeb, 0x48, 0x90]);
    first.set([3, 2, 0xff, 0, 0, 0x20], 0x3e);
    first.writeUInt32LE(stage ? 1 : 0, 0x44);
    first.write("GRUB \0Geom\0Hard Disk\0Read\0 Error\0", 0x17f, "latin1");
    w.put(image, 0, first);
    const start = Buffer.alloc(512);
    start.write("Loading stage1.5\0", 0x180, "latin1");
    if (list) {
      start.writeUInt32LE(2, 0x1f8);
      start.writeUInt16LE(18, 0x1fc);
    }
    const core = Buffer.alloc(18 * 512);
    core.set([0xea, 0x70, 0x22, 0, 0, 0, 3, 2]);
    core.set(
      [2, 0, ...Buffer.from("0.97\0"), 0xff, 0xff, 0x00, 0xff, ...Buffer.from("/boot/grub/stage2 /menu.lst\0")],
      0x10,
    );
    w.put(image, 512, Buffer.concat([start, core]));
    return new Uint8Array(w.bytes(image));
  }
  const end = async (bytes: Uint8Array) => {
    const { outcome, steps } = await followStick(new MemorySource(bytes));
    return [outcome, steps.at(-1)?.code];
  };

  test("its stages are followed to the file; each that is not there stops it", async () => {
    expect(await end(disk())).toEqual(["starts", "core-runs"]);
    expect(await end(disk({ stage: false }))).toEqual(["stops", "core-missing"]);
    expect(await end(disk({ list: false }))).toEqual(["stops", "core-damaged"]);
    expect(await end(disk({ stage2: false }))).toEqual(["stops", "module-missing"]);
  });

  test("a disk below 32 MiB it does not find", async () => {
    expect(await end(disk({ sizeMiB: 30 }))).toEqual(["stops", "drive-too-small"]);
  });
});

test("Memtest86+ starts as a floppy and behind its own first sector, and not as a plain stick", async () => {
  const disc = "/usr/lib/memtest86+/memtest86+x64.iso";
  expect((await followDisc(memory(disc))).outcome).toBe("starts");
  expect((await followStick(memory(disc))).outcome).toBe("starts");
  const stick = w.blank("memtest.img", 2);
  w.put(stick, 0, "/boot/memtest86+x64.bin");
  expect((await followStick(memory(stick))).steps.at(-1)?.code).toBe("reads-floppy");
});
