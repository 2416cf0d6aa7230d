import { readFileSync } from "node:fs";
import { run } from "../../scripts/media/workshop";
import {
  BIOS_DISC,
  BIOS_STICK,
  type Case,
  catalogue,
  catalogueAt,
  EVERYWHERE,
  efiIso,
  espVolume,
  flip,
  floppyIso,
  GRUB,
  gptStick,
  grubGap,
  grubIso,
  grubRescue,
  IA32_STICK,
  ISOLINUX,
  ISOLINUX_ENTRY,
  isohybrid,
  isolinuxFiles,
  mbrStick,
  shimStick,
  syslinuxStick,
  udfIso,
  X64_STICK,
} from "./blocks";

/** Discs, and disc images on sticks. */
export const DISC_CASES: Case[] = [
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
  {
    name: "iso-efi-large",
    // Larger than the catalogue's 16-bit count of 512-byte sectors can say.
    make: (w) => w.iso("efil.iso", { "boot/esp.img": espVolume(w, 32, 40) }, ["-e", "boot/esp.img", "-no-emul-boot"]),
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
  {
    name: "iso-efi-one-sector",
    // A load size of one sector, as older makers wrote it.
    make: (w) =>
      w.iso("efi1.iso", { "boot/esp.img": espVolume(w, 12, 8) }, [
        "-b",
        "boot/esp.img",
        "-no-emul-boot",
        "-boot-load-size",
        "1",
      ]),
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
  {
    name: "iso-efi-four-sectors",
    // A load size of four sectors, right for BIOS and too small for a volume.
    make: (w) =>
      w.iso("efi4.iso", { "boot/esp.img": espVolume(w, 12, 8) }, [
        "-b",
        "boot/esp.img",
        "-no-emul-boot",
        "-boot-load-size",
        "4",
      ]),
    on: [
      ["uefi-ia32", "usb"],
      ["uefi-ia32", "optical"],
    ],
  },
];
