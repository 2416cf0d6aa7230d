import { readFileSync } from "node:fs";
import { MARKER, run, type Workshop } from "../../scripts/media/workshop";
import type { As, Firmware } from "./machine";

/** A medium made by reference tools, and the computers it is tried on. */
export interface Case {
  name: string;
  make: (w: Workshop) => string;
  on: [Firmware, As][];
  /** Part of the short series that every test run does. */
  fast?: boolean;
}

const X64_STICK: [Firmware, As][] = [["uefi-x64", "usb"]];
const IA32_STICK: [Firmware, As][] = [["uefi-ia32", "usb"]];
const BIOS_STICK: [Firmware, As][] = [["bios", "usb"]];
const BIOS_DISC: [Firmware, As][] = [["bios", "optical"]];
const BOTH_UEFI: [Firmware, As][] = [...X64_STICK, ...IA32_STICK];
const EVERYWHERE: [Firmware, As][] = [
  ["uefi-ia32", "usb"],
  ["uefi-ia32", "optical"],
  ["bios", "usb"],
  ["bios", "optical"],
];

const SYSLINUX = "/usr/lib/syslinux";
const ISOLINUX = "/usr/lib/ISOLINUX";
const GRUB = "/usr/lib/grub/i386-pc";

// Building blocks.

const espVolume = (w: Workshop, bits = 16, sizeMiB = 20) =>
  w.fat(
    `esp${bits}-${sizeMiB}.img`,
    sizeMiB,
    bits,
    { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "EFI/BOOT/BOOTIA32.EFI": w.efi("ia32") },
    bits === 12 ? ["-s", "16"] : bits === 32 ? ["-s", "1"] : ["-s", "4"],
  );

const gptStick = (w: Workshop, name: string, type = "ef00") =>
  w.gpt(name, 24, ["-n", "1:2048:+20M", "-t", `1:${type}`], { 1: espVolume(w) });

const mbrStick = (w: Workshop, name: string, entry = "2048,40960,ef") =>
  w.mbr(name, 24, entry, { 1048576: espVolume(w) });

const code = (w: Workshop, image: string, file: string) => w.put(image, 0, readFileSync(file).subarray(0, 440));

/** GRUB's first sector and its core in the gap before the first partition, as its installer lays them. */
function grubGap(w: Workshop, image: string, coreSector = 1, boot = "boot.img"): void {
  const first = readFileSync(`${GRUB}/${boot}`).subarray(0, 440);
  first.writeBigUInt64LE(BigInt(coreSector), boot === "boot.img" ? 0x5c : 0x1b0);
  // The installer blanks the jump that is only right for floppies (grub-setup, boot_drive check).
  first.writeUInt16LE(0x9090, 0x66);
  w.put(image, 0, first);
  const core = Buffer.from(readFileSync(w.grubCore()));
  core.writeBigUInt64LE(BigInt(coreSector + 1), 0x1f4);
  core.writeUInt16LE(Math.ceil(core.length / 512) - 1, 0x1fc);
  w.put(image, coreSector * 512, core);
}

function syslinuxVolume(w: Workshop, name: string, options: { hidden?: number; install?: boolean } = {}): string {
  const config = w.text("syslinux.cfg", `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n`);
  const volume = w.fat(name, 20, 16, { "syslinux.cfg": config }, [
    "-s",
    "4",
    ...(options.hidden ? ["-h", String(options.hidden)] : []),
  ]);
  if (options.install !== false) run("syslinux", ["--install", volume]);
  return volume;
}

const syslinuxStick = (
  w: Workshop,
  name: string,
  entry = "2048,40960,c,*",
  mbr = "mbr.bin",
  volume = syslinuxVolume(w, "sl.img", { hidden: 2048 }),
) => {
  const image = w.mbr(name, 24, entry, { 1048576: volume });
  code(w, image, `${SYSLINUX}/mbr/${mbr}`);
  return image;
};

function flip(w: Workshop, image: string, offset: number): string {
  const byte = w.bytes(image)[offset] as number;
  w.put(image, offset, new Uint8Array([byte ^ 0xff]));
  return image;
}

const isolinuxFiles = (w: Workshop) => ({
  "isolinux/isolinux.bin": `${ISOLINUX}/isolinux.bin`,
  "isolinux/ldlinux.c32": `${SYSLINUX}/modules/bios/ldlinux.c32`,
  "isolinux/isolinux.cfg": w.text("isolinux.cfg", `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n`),
});
const ISOLINUX_ENTRY = [
  "-b",
  "isolinux/isolinux.bin",
  "-c",
  "isolinux/boot.cat",
  "-no-emul-boot",
  "-boot-load-size",
  "4",
  "-boot-info-table",
];

const efiIso = (w: Workshop, name: string, options: string[] = [], files: Record<string, string> = {}) =>
  w.iso(name, { "boot/esp.img": espVolume(w, 12, 8), ...files }, [
    ...options,
    "-eltorito-alt-boot",
    "-e",
    "boot/esp.img",
    "-no-emul-boot",
  ]);

const grubIso = (w: Workshop, name: string, options: string[] = []) =>
  w.iso(name, { "boot/eltorito.img": w.grubDisc() }, [
    "-b",
    "boot/eltorito.img",
    "-no-emul-boot",
    "-boot-load-size",
    "4",
    "-boot-info-table",
    "--grub2-boot-info",
    ...options,
  ]);

export const CASES: Case[] = [
  // UEFI sticks: tables
  { name: "superfloppy-fat16", make: (w) => espVolume(w), on: EVERYWHERE, fast: true },
  { name: "superfloppy-fat12", make: (w) => espVolume(w, 12, 8), on: IA32_STICK },
  { name: "superfloppy-fat32", make: (w) => espVolume(w, 32, 40), on: IA32_STICK },
  {
    name: "fat32-too-few-clusters",
    make: (w) => {
      const v = w.copy(espVolume(w, 32, 40), "few.img");
      const total = Buffer.alloc(4);
      total.writeUInt32LE(40000);
      w.put(v, 32, total);
      return v;
    },
    on: IA32_STICK,
  },
  { name: "gpt-esp", make: (w) => gptStick(w, "gpt.img"), on: BOTH_UEFI, fast: true },
  { name: "gpt-as-disc", make: (w) => gptStick(w, "gptd.img"), on: [["uefi-ia32", "optical"]] },
  { name: "gpt-basic-data", make: (w) => gptStick(w, "gptb.img", "0700"), on: IA32_STICK },
  { name: "gpt-primary-damaged", make: (w) => flip(w, gptStick(w, "gptp.img"), 512 + 20), on: IA32_STICK, fast: true },
  { name: "gpt-entries-damaged", make: (w) => flip(w, gptStick(w, "gpte.img"), 1024 + 60), on: IA32_STICK },
  {
    name: "gpt-backup-cut",
    make: (w) => {
      const i = gptStick(w, "gptc.img");
      w.truncate(i, 23 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-backup-displaced",
    make: (w) => {
      const i = gptStick(w, "gptx.img");
      w.truncate(i, 30 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-primary-damaged-backup-displaced",
    make: (w) => {
      const i = flip(w, gptStick(w, "gptpx.img"), 530);
      w.truncate(i, 30 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-both-damaged",
    make: (w) => {
      const i = flip(w, gptStick(w, "gptbb.img"), 530);
      return flip(w, i, 24 * 1048576 - 512 + 20);
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-no-protective",
    make: (w) => {
      const i = gptStick(w, "gptn.img");
      w.put(i, 446, new Uint8Array(64));
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-hybrid-mbr",
    make: (w) => {
      const i = gptStick(w, "gpth.img");
      run("sgdisk", ["-h", "1:EE", i]);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "gpt-protective-active",
    make: (w) => {
      const i = gptStick(w, "gptact.img");
      w.put(i, 446, new Uint8Array([0x80]));
      return i;
    },
    on: IA32_STICK,
  },
  { name: "mbr-esp", make: (w) => mbrStick(w, "mbr.img"), on: [...BOTH_UEFI, ["bios", "usb"]], fast: true },
  { name: "mbr-type-83", make: (w) => mbrStick(w, "mbr83.img", "2048,40960,83"), on: IA32_STICK },
  {
    name: "mbr-logical",
    make: (w) => w.mbr("mbrl.img", 30, "2048,45056,5\n4096,40960,c", { [4096 * 512]: espVolume(w) }),
    on: IA32_STICK,
  },
  {
    name: "mbr-unsigned",
    make: (w) => {
      const i = mbrStick(w, "mbru.img");
      w.put(i, 510, new Uint8Array(2));
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "mbr-cut",
    make: (w) => {
      const i = mbrStick(w, "mbrc.img");
      w.truncate(i, 20 * 1048576);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "mbr-overlap",
    make: (w) => {
      const i = mbrStick(w, "mbro.img");
      const e = w.bytes(i).subarray(446, 462);
      w.put(i, 462, e);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "fat-boot-sector-unsigned",
    make: (w) => {
      const v = w.copy(espVolume(w), "espu.img");
      w.put(v, 510, new Uint8Array(2));
      return w.gpt("gptu.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00"], { 1: v });
    },
    on: IA32_STICK,
  },
  // UEFI sticks: loaders
  {
    name: "x64-only",
    make: (w) =>
      w.gpt("x64.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00"], {
        1: w.fat("x64v.img", 20, 16, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-s", "4"]),
      }),
    on: BOTH_UEFI,
    fast: true,
  },
  {
    name: "lower-case",
    make: (w) => w.fat("lower.img", 20, 16, { "efi/boot/bootia32.efi": w.efi("ia32") }, ["-s", "4"]),
    on: IA32_STICK,
  },
  {
    name: "wrong-machine",
    make: (w) =>
      w.fat("wrong.img", 20, 16, { "EFI/BOOT/BOOTIA32.EFI": w.efi("x64"), "EFI/BOOT/BOOTX64.EFI": w.efi("ia32") }, [
        "-s",
        "4",
      ]),
    on: BOTH_UEFI,
    fast: true,
  },
  {
    name: "elsewhere",
    make: (w) => w.fat("else.img", 20, 16, { "EFI/KIT/BOOTIA32.EFI": w.efi("ia32") }, ["-s", "4"]),
    on: IA32_STICK,
  },
  {
    name: "truncated-loader",
    make: (w) => {
      const t = w.copy(w.efi("ia32"), "trunc.efi");
      w.truncate(t, 60000);
      return w.fat("trunc.img", 20, 16, { "EFI/BOOT/BOOTIA32.EFI": t }, ["-s", "4"]);
    },
    on: IA32_STICK,
    fast: true,
  },
  ...twoVolumes("empty-then-good", (w) => w.text("empty.efi", "")),
  ...twoVolumes("text-then-good", (w) => w.text("text.efi", "this is no program\n".repeat(50))),
  ...twoVolumes("driver-then-good", (w) => {
    const d = w.copy(w.efi("ia32"), "driver.efi");
    const b = w.bytes(d);
    w.put(d, b.readUInt32LE(60) + 24 + 68, new Uint8Array([11, 0]));
    return d;
  }),
  ...twoVolumes("truncated-then-good", (w) => {
    const t = w.copy(w.efi("ia32"), "trunc2.efi");
    w.truncate(t, 60000);
    return t;
  }),
  ...twoVolumes("machine-then-good", (w) => w.efi("x64")),
  ...twoVolumes("cut-in-headers-then-good", (w) => {
    const t = w.copy(w.efi("ia32"), "trunc3.efi");
    w.truncate(t, 150);
    return t;
  }),
  { name: "broken-chain-then-good", make: brokenChain, on: IA32_STICK },
  // Discs and ISOs
  {
    name: "iso-efi",
    make: (w) => efiIso(w, "efi.iso"),
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
      ["uefi-x64", "optical"],
      ["bios", "usb"],
      ["bios", "optical"],
    ],
    fast: true,
  },
  {
    name: "iso-tree-only",
    make: (w) => w.iso("tree.iso", { "EFI/BOOT/BOOTIA32.EFI": w.efi("ia32") }, []),
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
  {
    name: "iso-udf-tree",
    make: udfIso,
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
  {
    name: "iso-isolinux",
    make: (w) => w.iso("isl.iso", isolinuxFiles(w), ISOLINUX_ENTRY),
    on: [...BIOS_STICK, ...BIOS_DISC],
    fast: true,
  },
  {
    name: "iso-isolinux-hybrid",
    make: (w) => w.iso("islh.iso", isolinuxFiles(w), [...ISOLINUX_ENTRY, "-isohybrid-mbr", `${ISOLINUX}/isohdpfx.bin`]),
    on: [...BIOS_STICK, ...BIOS_DISC],
    fast: true,
  },
  {
    name: "iso-isolinux-hybrid-partok",
    make: (w) => w.iso("islp.iso", isolinuxFiles(w), [...ISOLINUX_ENTRY, "-isohybrid-mbr", `${ISOLINUX}/isohdppx.bin`]),
    on: BIOS_STICK,
  },
  {
    name: "iso-isolinux-no-module",
    make: (w) => {
      const { "isolinux/ldlinux.c32": _, ...files } = isolinuxFiles(w);
      return w.iso("isln.iso", files, [...ISOLINUX_ENTRY, "-isohybrid-mbr", `${ISOLINUX}/isohdpfx.bin`]);
    },
    on: [...BIOS_STICK, ...BIOS_DISC],
  },
  {
    name: "iso-isolinux-efi-hybrid",
    make: (w) =>
      w.iso("islhe.iso", { ...isolinuxFiles(w), "boot/esp.img": espVolume(w, 12, 8) }, [
        ...ISOLINUX_ENTRY,
        "-isohybrid-mbr",
        `${ISOLINUX}/isohdpfx.bin`,
        "-eltorito-alt-boot",
        "-e",
        "boot/esp.img",
        "-no-emul-boot",
        "-isohybrid-gpt-basdat",
      ]),
    on: EVERYWHERE,
    fast: true,
  },
  {
    name: "iso-isolinux-damaged",
    make: (w) => {
      const i = w.iso("isld.iso", isolinuxFiles(w), [...ISOLINUX_ENTRY, "-isohybrid-mbr", `${ISOLINUX}/isohdpfx.bin`]);
      const at = w.bytes(i).indexOf(Buffer.from("ISOLINUX 6"));
      return flip(w, i, at + 20000);
    },
    on: [...BIOS_STICK, ...BIOS_DISC],
  },
  {
    name: "iso-no-boot-info",
    make: (w) => w.iso("isnb.iso", isolinuxFiles(w), ISOLINUX_ENTRY.slice(0, -1)),
    on: BIOS_DISC,
  },
  { name: "iso-grub", make: (w) => grubIso(w, "grub.iso"), on: [...BIOS_STICK, ...BIOS_DISC] },
  {
    name: "iso-grub-hybrid",
    make: (w) => grubIso(w, "grubh.iso", ["--grub2-mbr", `${GRUB}/boot_hybrid.img`]),
    on: [...BIOS_STICK, ...BIOS_DISC],
    fast: true,
  },
  {
    name: "iso-grub-no-boot-info",
    make: (w) =>
      w.iso("grubn.iso", { "boot/eltorito.img": w.grubDisc() }, [
        "-b",
        "boot/eltorito.img",
        "-no-emul-boot",
        "-boot-load-size",
        "4",
      ]),
    on: BIOS_DISC,
  },
  {
    name: "iso-grub-wrong-boot-info",
    make: (w) =>
      w.iso("grubw.iso", { "boot/eltorito.img": w.grubDisc() }, [
        "-b",
        "boot/eltorito.img",
        "-no-emul-boot",
        "-boot-load-size",
        "4",
        "-boot-info-table",
        "--grub2-mbr",
        `${GRUB}/boot_hybrid.img`,
      ]),
    on: [...BIOS_STICK, ...BIOS_DISC],
  },
  {
    name: "iso-grub-cut",
    make: (w) => {
      const i = grubIso(w, "grubc.iso", ["--grub2-mbr", `${GRUB}/boot_hybrid.img`]);
      w.truncate(i, 90112);
      return i;
    },
    on: [...BIOS_STICK, ...BIOS_DISC],
  },
  {
    name: "iso-bad-checksum",
    make: (w) => catalogue(w, "isoc.iso", (at) => at + 28),
    on: [
      ["uefi-ia32", "optical"],
      ["uefi-ia32", "usb"],
      ["bios", "optical"],
    ],
  },
  {
    name: "iso-not-startable",
    make: (w) => {
      const i = efiIso(w, "ison.iso");
      const at = catalogueAt(w, i);
      w.put(i, at + 32, new Uint8Array([0]));
      const second = w.bytes(i)[at + 96];
      if (second === 0x88) w.put(i, at + 96, new Uint8Array([0]));
      return i;
    },
    on: [["uefi-ia32", "optical"]],
  },
  {
    name: "iso-platform-zero",
    make: (w) =>
      w.iso("isop.iso", { "boot/esp.img": espVolume(w, 12, 8) }, [
        "-b",
        "boot/esp.img",
        "-no-emul-boot",
        "-boot-load-size",
        "16384",
      ]),
    on: [
      ["uefi-ia32", "optical"],
      ["uefi-ia32", "usb"],
      ["bios", "optical"],
    ],
  },
  { name: "iso-floppy-syslinux", make: floppyIso, on: BIOS_DISC },
  {
    name: "iso-mbr-void",
    make: (w) => {
      const i = w.iso("isov.iso", { "boot/esp.img": espVolume(w, 12, 8) }, [
        "-e",
        "boot/esp.img",
        "-no-emul-boot",
        "-partition_offset",
        "16",
      ]);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "iso-appended-esp",
    make: (w) =>
      w.iso("isoa.iso", { "readme.txt": w.text("r.txt", "x") }, [
        "-append_partition",
        "2",
        "0xef",
        espVolume(w, 12, 8),
        "-e",
        "--interval:appended_partition_2:all::",
        "-no-emul-boot",
        "-appended_part_as_gpt",
      ]),
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
  {
    name: "iso-efi-hybrid-cut",
    make: (w) => {
      const i = w.iso("isohc.iso", { ...isolinuxFiles(w), "boot/esp.img": espVolume(w, 12, 8) }, [
        ...ISOLINUX_ENTRY,
        "-isohybrid-mbr",
        `${ISOLINUX}/isohdpfx.bin`,
        "-eltorito-alt-boot",
        "-e",
        "boot/esp.img",
        "-no-emul-boot",
        "-isohybrid-gpt-basdat",
      ]);
      w.truncate(i, w.bytes(i).length - 1048576);
      return i;
    },
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
      ["bios", "usb"],
    ],
  },
  { name: "grub-mkrescue", make: (w) => grubRescue(w, "rescue.iso"), on: [...EVERYWHERE, ["uefi-x64", "usb"]] },
  {
    name: "grub-mkrescue-cut",
    make: (w) => {
      const i = w.copy(grubRescue(w, "rescue2.iso"), "rescuec.iso");
      w.truncate(i, 3_000_000);
      return i;
    },
    // As a stick its GRUB still runs, and stops at the files that were cut off: past what is judged here.
    on: [["uefi-ia32", "optical"]],
  },
  { name: "isohybrid-tool", make: (w) => isohybrid(w, "ihy.iso"), on: EVERYWHERE },
  { name: "isohybrid-tool-uefi", make: (w) => isohybrid(w, "ihyu.iso", "--uefi"), on: EVERYWHERE },
  {
    name: "iso-hard-disk-emulation",
    make: (w) => w.iso("hd.iso", { "disk.img": syslinuxStick(w, "hd.img") }, ["-b", "disk.img", "-hard-disk-boot"]),
    on: [
      ["bios", "optical"],
      ["bios", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
  { name: "shim-and-second-stage", make: (w) => shimStick(w, "shim1.img", w.efi("x64")), on: X64_STICK },
  { name: "shim-alone", make: (w) => shimStick(w, "shim2.img", null), on: X64_STICK },
  { name: "shim-second-stage-wrong-machine", make: (w) => shimStick(w, "shim3.img", w.efi("ia32")), on: X64_STICK },
  {
    name: "gpt-odd-length",
    make: (w) => {
      const i = gptStick(w, "gptodd.img");
      w.truncate(i, 24 * 1048576 - 100);
      return i;
    },
    on: IA32_STICK,
  },
  {
    name: "fat-larger-than-partition",
    make: (w) => w.gpt("gptlarge.img", 24, ["-n", "1:2048:+10M", "-t", "1:ef00"], { 1: espVolume(w) }),
    on: IA32_STICK,
  },
  {
    name: "bios-grub-core-overwritten",
    make: (w) => {
      const i = mbrStick(w, "bgrubo.img");
      grubGap(w, i);
      w.put(i, 20_480, new Uint8Array(4096));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-plain-dd",
    make: (w) => {
      const i = mbrStick(w, "bgrubd.img");
      w.put(i, 0, readFileSync(`${GRUB}/boot.img`).subarray(0, 440));
      w.put(i, 512, w.grubCore());
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "gpt-no-block-io",
    make: (w) => w.gpt("gptnb.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:1"], { 1: espVolume(w) }),
    on: IA32_STICK,
  },
  {
    name: "exfat-first-then-fat",
    make: (w) => {
      const store = w.blank("xf.vol", 8);
      run("mkfs.exfat", [store]);
      return w.mbr("xf.img", 40, "2048,16384,7\n18432,40960,c", { 1048576: store, [18432 * 512]: espVolume(w) });
    },
    on: IA32_STICK,
  },
  // BIOS sticks
  { name: "bios-empty-code", make: (w) => mbrStick(w, "bempty.img", "2048,40960,c,*"), on: BIOS_STICK, fast: true },
  { name: "bios-syslinux", make: (w) => syslinuxStick(w, "bsl.img"), on: BIOS_STICK, fast: true },
  {
    name: "bios-syslinux-no-active",
    make: (w) => syslinuxStick(w, "bsln.img", "2048,40960,c"),
    on: BIOS_STICK,
    fast: true,
  },
  {
    name: "bios-syslinux-two-active",
    make: (w) => {
      const i = syslinuxStick(w, "bslt.img", "2048,40960,c,*\n43008,1024,83");
      w.put(i, 462, new Uint8Array([0x80]));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-unsigned-volume",
    make: (w) => {
      const i = syslinuxStick(w, "bslu.img");
      w.put(i, 1048576 + 510, new Uint8Array(2));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-not-installed",
    make: (w) => syslinuxStick(w, "bsli.img", undefined, undefined, syslinuxVolume(w, "sln.img", { install: false })),
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-damaged",
    make: (w) => {
      const i = syslinuxStick(w, "bsld.img");
      const at = w.bytes(i).indexOf(Buffer.from("SYSLINUX 6"));
      return flip(w, i, at + 9000);
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-syslinux-no-module",
    make: (w) => {
      const v = syslinuxVolume(w, "slm.img", { hidden: 2048 });
      run("mdel", ["-i", v, "::/ldlinux.c32"]);
      return syslinuxStick(w, "bslm.img", undefined, undefined, v);
    },
    on: BIOS_STICK,
  },
  { name: "bios-syslinux-superfloppy", make: (w) => syslinuxVolume(w, "slf.img"), on: BIOS_STICK },
  {
    name: "bios-syslinux-superfloppy-hidden",
    make: (w) => syslinuxVolume(w, "slfh.img", { hidden: 2048 }),
    on: BIOS_STICK,
  },
  {
    name: "bios-altmbr",
    make: (w) => {
      const i = syslinuxStick(w, "balt.img", "2048,40960,c", "altmbr.bin");
      w.put(i, 439, new Uint8Array([1]));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-altmbr-wrong",
    make: (w) => {
      const i = syslinuxStick(w, "baltw.img", "2048,40960,c", "altmbr.bin");
      w.put(i, 439, new Uint8Array([2]));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-gptmbr",
    make: (w) => {
      const i = w.gpt("bgpt.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:2"], {
        1: syslinuxVolume(w, "slg.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/gptmbr.bin`);
      return i;
    },
    on: BIOS_STICK,
    fast: true,
  },
  {
    name: "bios-gptmbr-no-attribute",
    make: (w) => {
      const i = w.gpt("bgptn.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00"], {
        1: syslinuxVolume(w, "slg2.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/gptmbr.bin`);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-gptmbr-primary-damaged",
    make: (w) => {
      const i = w.gpt("bgptd.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:2"], {
        1: syslinuxVolume(w, "slg3.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/gptmbr.bin`);
      return flip(w, i, 512 + 20);
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-mbr-code-on-gpt",
    make: (w) => {
      const i = w.gpt("bmg.img", 24, ["-n", "1:2048:+20M", "-t", "1:ef00", "-A", "1:set:2"], {
        1: syslinuxVolume(w, "slg4.img", { hidden: 2048 }),
      });
      code(w, i, `${SYSLINUX}/mbr/mbr.bin`);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-install-mbr",
    make: (w) => {
      const i = w.mbr("bdm.img", 24, "2048,40960,c,*", { 1048576: syslinuxVolume(w, "sldm.img", { hidden: 2048 }) });
      run("install-mbr", ["--force", i]);
      return i;
    },
    on: BIOS_STICK,
  },
  { name: "bios-parted-code", make: partedStick, on: BIOS_STICK },
  {
    name: "bios-grub",
    make: (w) => {
      const i = mbrStick(w, "bgrub.img");
      grubGap(w, i);
      return i;
    },
    on: BIOS_STICK,
    fast: true,
  },
  {
    name: "bios-grub-no-partitions",
    make: (w) => {
      const i = w.blank("bgrubn.img", 4);
      w.put(i, 510, new Uint8Array([0x55, 0xaa]));
      grubGap(w, i);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-core-elsewhere",
    make: (w) => {
      const i = mbrStick(w, "bgrube.img");
      grubGap(w, i, 100);
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-core-missing",
    make: (w) => {
      const i = mbrStick(w, "bgrubm.img");
      grubGap(w, i);
      w.put(i, 512, new Uint8Array(512));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-core-blank",
    make: (w) => {
      const i = mbrStick(w, "bgrubb.img");
      grubGap(w, i);
      w.put(i, 1024, new Uint8Array(60000));
      return i;
    },
    on: BIOS_STICK,
  },
  {
    name: "bios-grub-unsigned",
    make: (w) => {
      const i = mbrStick(w, "bgrubu.img");
      grubGap(w, i);
      w.put(i, 510, new Uint8Array(2));
      return i;
    },
    on: BIOS_STICK,
  },
  { name: "bios-grub-in-volume", make: grubInVolume, on: BIOS_STICK },
  {
    name: "bios-active-stub",
    make: (w) => {
      const i = mbrStick(w, "bstub.img", "2048,40960,c,*");
      code(w, i, `${SYSLINUX}/mbr/mbr.bin`);
      return i;
    },
    on: BIOS_STICK,
  },
];

/** What GRUB's own disc maker makes: both firmwares, as a stick and as a disc. */
function grubRescue(w: Workshop, name: string): string {
  const tree = w.path("rescue.tree");
  run("mkdir", ["-p", `${tree}/boot/grub`]);
  run("cp", [
    w.text("grub.cfg", `serial --unit=0 --speed=115200\nterminal_output serial\necho ${MARKER}\nhalt\n`),
    `${tree}/boot/grub/grub.cfg`,
  ]);
  run("grub-mkrescue", ["-o", w.path(name), tree, "--", "-volid", "KIT"]);
  return w.path(name);
}

/** A disc image for both firmwares made hybrid by Syslinux's own tool instead of xorriso's option. */
function isohybrid(w: Workshop, name: string, ...options: string[]): string {
  const image = w.iso(name, { ...isolinuxFiles(w), "boot/esp.img": espVolume(w, 12, 8) }, [
    ...ISOLINUX_ENTRY,
    "-eltorito-alt-boot",
    "-e",
    "boot/esp.img",
    "-no-emul-boot",
  ]);
  run("isohybrid", [...options, image]);
  return image;
}

/** A signed first stage, with another second stage beside it each time. Debian's shim-signed. */
function shimStick(w: Workshop, name: string, second: string | null): string {
  const files: Record<string, string> = { "EFI/BOOT/BOOTX64.EFI": "/usr/lib/shim/shimx64.efi.signed" };
  if (second) files["EFI/BOOT/grubx64.efi"] = second;
  return w.fat(name, 20, 16, files, ["-s", "4"]);
}

/** Two partitions: the first with an odd loader, the second with a good one. */
function twoVolumes(name: string, odd: (w: Workshop) => string): Case[] {
  const make = (w: Workshop) => {
    const first = w.fat(`${name}1.img`, 12, 16, { "EFI/BOOT/BOOTIA32.EFI": odd(w) }, ["-s", "1"]);
    return w.gpt(`${name}.img`, 40, ["-n", "1:2048:+12M", "-t", "1:ef00", "-n", "2:0:+20M", "-t", "2:ef00"], {
      1: first,
      2: espVolume(w),
    });
  };
  return [{ name, make, on: IA32_STICK }];
}

/** The first loader's chain of clusters is cut after the first cluster. */
function brokenChain(w: Workshop): string {
  const first = w.fat("chain1.img", 12, 16, { "EFI/BOOT/BOOTIA32.EFI": w.efi("ia32") }, ["-s", "1"]);
  const fat = w.bytes(first);
  const fatAt = fat.readUInt16LE(14) * 512;
  // Clusters 2 and 3 hold the folders; the file begins at 4.
  w.put(first, fatAt + 5 * 2, new Uint8Array([0, 0]));
  w.put(first, fatAt + fat.readUInt16LE(22) * 512 + 5 * 2, new Uint8Array([0, 0]));
  return w.gpt("chain.img", 40, ["-n", "1:2048:+12M", "-t", "1:ef00", "-n", "2:0:+20M", "-t", "2:ef00"], {
    1: first,
    2: espVolume(w),
  });
}

function udfIso(w: Workshop): string {
  const tree = w.path("udf.tree");
  run("mkdir", ["-p", `${tree}/EFI/BOOT`]);
  run("cp", [w.efi("ia32"), `${tree}/EFI/BOOT/BOOTIA32.EFI`]);
  run("genisoimage", ["-quiet", "-udf", "-V", "KIT", "-o", w.path("udf.iso"), tree]);
  return w.path("udf.iso");
}

function catalogueAt(w: Workshop, image: string): number {
  return w.bytes(image).readUInt32LE(17 * 2048 + 71) * 2048;
}

function catalogue(w: Workshop, name: string, offset: (at: number) => number): string {
  const image = w.iso(name, { ...isolinuxFiles(w), "boot/esp.img": espVolume(w, 12, 8) }, [
    ...ISOLINUX_ENTRY,
    "-eltorito-alt-boot",
    "-e",
    "boot/esp.img",
    "-no-emul-boot",
  ]);
  return flip(w, image, offset(catalogueAt(w, image)));
}

function floppyIso(w: Workshop): string {
  const config = w.text("syslinux.cfg", `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n`);
  const floppy = w.blank("floppy.img", 1.40625);
  run("mkfs.fat", ["-F", "12", floppy]);
  run("mcopy", ["-i", floppy, config, "::/syslinux.cfg"]);
  run("syslinux", ["--install", floppy]);
  return w.iso("floppy.iso", { "floppy.img": floppy }, ["-b", "floppy.img"]);
}

function partedStick(w: Workshop): string {
  const image = w.blank("bparted.img", 24);
  run("parted", [
    "-s",
    image,
    "mklabel",
    "msdos",
    "mkpart",
    "primary",
    "fat16",
    "2048s",
    "43007s",
    "set",
    "1",
    "boot",
    "on",
  ]);
  w.put(image, 1048576, syslinuxVolume(w, "slp.img", { hidden: 2048 }));
  return image;
}

/** GRUB's first sector as the boot sector of the active partition, its core elsewhere on the medium. */
function grubInVolume(w: Workshop): string {
  const image = w.mbr("bgv.img", 24, "2048,40960,83,*");
  code(w, image, `${SYSLINUX}/mbr/mbr.bin`);
  const scratch = w.blank("gv.scratch", 1);
  grubGap(w, scratch, 2049);
  const first = w.bytes(scratch).subarray(0, 512);
  first.writeUInt16LE(0xaa55, 510);
  w.put(image, 2048 * 512, first);
  const core = Buffer.from(readFileSync(w.grubCore()));
  core.writeBigUInt64LE(2050n, 0x1f4);
  core.writeUInt16LE(Math.ceil(core.length / 512) - 1, 0x1fc);
  w.put(image, 2049 * 512, core);
  return image;
}
