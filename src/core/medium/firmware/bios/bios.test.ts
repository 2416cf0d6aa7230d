import { readFileSync } from "node:fs";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../../../scripts/media/workshop";
import { tempWorkshop } from "../../../../../test/support/workshop";
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
    ["isolinux-hybrid", "/usr/lib/ISOLINUX/isohdpfx.bin"],
    ["isolinux-hybrid", "/usr/lib/ISOLINUX/isohdppx.bin"],
    ["isolinux-hybrid", "/usr/lib/ISOLINUX/isohdpfx_c.bin"],
  ])("%s in %s", (program, file) => {
    const path = file.includes("_c.bin") || file.includes("_f.bin") ? file.replace(/([^/]+)$/, "extra/$1") : file;
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
