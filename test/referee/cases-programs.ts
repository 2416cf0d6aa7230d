import { readFileSync, writeFileSync } from "node:fs";
import { run, type Workshop } from "../../scripts/media/workshop";
import {
  BIOS_DISC,
  BIOS_STICK,
  type Case,
  catalogueAt,
  code,
  espVolume,
  ISOLINUX,
  ISOLINUX_ENTRY,
  isolinuxFiles,
  SYSLINUX,
  X64_STICK,
} from "./blocks";
import { signed } from "./keys";
import { PROGRAMS } from "./programs";

/** First programs of other kinds: boot managers, what is beside the shim, unified kernels, emulated disks, EXTLINUX. */

const SYSTEMD = "/usr/lib/systemd/boot/efi";
const SHIM = "/usr/lib/shim";
const FIXED_FIRST = "/usr/lib/efitools/x86_64-linux-gnu/Loader.efi";
const X64: ["uefi-x64", "usb" | "optical"][] = [
  ["uefi-x64", "usb"],
  ["uefi-x64", "optical"],
];

const stick = (name: string, files: (w: Workshop) => Record<string, string>, on: Case["on"] = X64_STICK): Case => ({
  name,
  make: (w) => w.fat(`${name}.img`, 40, 16, files(w), ["-s", "4"]),
  on,
});

/** A boot manager with entries, each a text, and other files. */
const managed = (name: string, entries: Record<string, string>, more: (w: Workshop) => Record<string, string>): Case =>
  stick(name, (w) => ({
    "EFI/BOOT/BOOTX64.EFI": `${SYSTEMD}/systemd-bootx64.efi`,
    ...Object.fromEntries(
      Object.entries(entries).map(([path, text]) => [path, w.text(`${name}-${path.replaceAll("/", "-")}`, text)]),
    ),
    ...more(w),
  }));

const witness = (path: string) => (w: Workshop) => ({ [path]: w.efi("x64") });
const nothing = () => ({});
const entry = (lines: string) => `title Kit\n${lines}\n`;

/** The frame of a unified kernel, with something in the place of a kernel or nothing. */
function unified(w: Workshop, name: string, kernel: string | null): string {
  const out = w.path(name);
  const section = (name: string, file: string, at: string) => [
    ...["--add-section", `${name}=${file}`, "--change-section-vma", `${name}=${at}`],
  ];
  run("objcopy", [
    ...section(".cmdline", w.text("cmdline", "quiet"), "0x30000"),
    ...(kernel ? section(".linux", kernel, "0x2000000") : []),
    ...[`${SYSTEMD}/linuxx64.efi.stub`, out],
  ]);
  return out;
}

/** A list of loaders as the fallback program reads it. */
function list(w: Workshop, name: string, text: string, encoding: "utf16le" | "latin1" = "utf16le"): string {
  writeFileSync(w.path(name), Buffer.from(encoding === "utf16le" ? `\ufeff${text}` : text, encoding));
  return w.path(name);
}

const withFallback = (name: string, files: (w: Workshop) => Record<string, string>, on?: Case["on"]): Case =>
  stick(
    name,
    (w) => ({
      "EFI/BOOT/BOOTX64.EFI": `${SHIM}/shimx64.efi.signed`,
      "EFI/BOOT/fbx64.efi": `${SHIM}/fbx64.efi.signed`,
      ...files(w),
    }),
    on,
  );

const soldOn: Case["on"] = [["uefi-x64", "usb", "as-sold"]];

const emulated = (name: string, sectors: number | null, on: Case["on"] = X64): Case => ({
  name,
  make: (w) => {
    const disk = w.mbr(`${name}.disk`, 24, "2048,40960,ef,*", { 1048576: espVolume(w) });
    const image = w.iso(`${name}.iso`, { "hd.img": disk }, ["-b", "hd.img", "-hard-disk-boot"]);
    if (sectors !== null) w.put(image, catalogueAt(w, image) + 38, new Uint8Array([sectors & 0xff, sectors >> 8]));
    return image;
  },
  on,
});

const hybrid = (w: Workshop, name: string, first: string) =>
  w.iso(name, isolinuxFiles(w), [...ISOLINUX_ENTRY, "-isohybrid-mbr", `${ISOLINUX}/${first}`]);

/** A hybrid disc image written into a partition. */
const inPartition = (name: string, first: string): Case => ({
  name,
  make: (w) => {
    const disc = hybrid(w, `${name}.iso`, first);
    const sectors = Math.ceil(readFileSync(disc).length / 512);
    const image = w.mbr(`${name}.img`, Math.ceil(sectors / 2048) + 3, `2048,${sectors},17,*`, { 1048576: disc });
    code(w, image, `${SYSLINUX}/mbr/mbr.bin`);
    return image;
  },
  on: BIOS_STICK,
});

export const PROGRAM_CASES: Case[] = [
  managed("manager-nothing", {}, nothing),
  managed("manager-entry", { "loader/entries/a.conf": entry("efi /kit/a.efi") }, witness("kit/a.efi")),
  managed("manager-entry-missing", { "loader/entries/a.conf": entry("efi /kit/a.efi") }, nothing),
  managed(
    "manager-initrd-missing",
    { "loader/entries/a.conf": entry("linux /kit/a.efi\ninitrd /kit/no.img") },
    witness("kit/a.efi"),
  ),
  managed(
    "manager-default",
    {
      "loader/loader.conf": "default b*\ntimeout 0\n",
      "loader/entries/a.conf": entry("efi /kit/no.efi"),
      "loader/entries/b.conf": entry("efi /kit/a.efi"),
    },
    witness("kit/a.efi"),
  ),
  managed(
    "manager-other-machine",
    { "loader/entries/a.conf": entry("architecture IA32\nefi /kit/a.efi") },
    witness("kit/a.efi"),
  ),
  managed("manager-found-shell", {}, witness("shellx64.efi")),
  managed("manager-found-loader", {}, witness("EFI/Microsoft/Boot/bootmgfw.efi")),

  stick("unified-frame", () => ({ "EFI/BOOT/BOOTX64.EFI": `${SYSTEMD}/linuxx64.efi.stub` })),
  stick("unified-no-kernel", (w) => ({ "EFI/BOOT/BOOTX64.EFI": unified(w, "no-kernel.efi", null) })),
  stick("unified-no-linux", (w) => ({ "EFI/BOOT/BOOTX64.EFI": unified(w, "no-linux.efi", w.efi("x64")) })),

  stick("fallback-alone", () => ({ "EFI/BOOT/BOOTX64.EFI": `${SHIM}/fbx64.efi.signed` })),
  stick("fallback-with-list", (w) => ({
    "EFI/BOOT/BOOTX64.EFI": `${SHIM}/fbx64.efi.signed`,
    "EFI/kit/BOOTX64.CSV": list(w, "own.csv", "a.efi,Kit,,Kit\n"),
    "EFI/kit/a.efi": w.efi("x64"),
  })),
  withFallback("shim-fallback-no-list", (w) => ({ "EFI/BOOT/grubx64.efi": w.efi("x64") }), [...X64_STICK, ...soldOn]),
  withFallback("shim-fallback-list", (w) => ({
    "EFI/kit/BOOTX64.CSV": list(w, "list.csv", "a.efi,Kit,,Kit\n"),
    "EFI/kit/a.efi": w.efi("x64"),
  })),
  withFallback("shim-fallback-old-list", (w) => ({
    "EFI/kit/BOOT.CSV": list(w, "old.csv", "a.efi,Kit,,Kit\n"),
    "EFI/kit/a.efi": w.efi("x64"),
  })),
  withFallback("shim-fallback-shim", (w) => ({
    "EFI/kit/BOOTX64.CSV": list(w, "shim.csv", "shimx64.efi,Kit,,Kit\n"),
    "EFI/kit/shimx64.efi": `${SHIM}/shimx64.efi.signed`,
    "EFI/kit/grubx64.efi": w.efi("x64"),
  })),
  withFallback(
    "shim-fallback-vendor",
    (w) => ({
      "EFI/kit/BOOTX64.CSV": list(w, "vendor.csv", "grubx64.efi,Kit,,Kit\n"),
      "EFI/kit/grubx64.efi": PROGRAMS.vendorGrub(w),
      "EFI/debian/grub.cfg": w.text(
        "vendor.cfg",
        "serial --unit=0 --speed=115200\nterminal_output serial\necho CREEL-STARTED\nhalt\n",
      ),
    }),
    soldOn,
  ),

  stick("fixed-next-missing", () => ({ "EFI/BOOT/BOOTX64.EFI": FIXED_FIRST })),
  stick("fixed-next-elsewhere", (w) => ({ "EFI/BOOT/BOOTX64.EFI": FIXED_FIRST, "linux-loader.efi": w.efi("x64") })),
  stick("fixed-next", (w) => ({ "EFI/BOOT/BOOTX64.EFI": FIXED_FIRST, "EFI/BOOT/linux-loader.efi": w.efi("x64") }), [
    ["uefi-x64", "usb", "north-off"],
  ]),
  stick(
    "manager-signed",
    (w) => ({
      "EFI/BOOT/BOOTX64.EFI": signed(w, `${SYSTEMD}/systemd-bootx64.efi`, "manager-north.efi", "north"),
      "loader/entries/a.conf": w.text("signed-a.conf", entry("efi /kit/a.efi")),
      "kit/a.efi": w.efi("x64"),
    }),
    [
      ["uefi-x64", "usb", "north"],
      ["uefi-x64", "usb", "north-off"],
      ["uefi-x64", "usb", "digest-of-unsigned"],
    ],
  ),

  emulated("emulated-disk", null),
  emulated("emulated-disk-to-the-end", 0),
  emulated("emulated-disk-cut", 8),
  emulated("emulated-disk-counted", 20_000),
  inPartition("hybrid-in-partition", "isohdppx.bin"),
  inPartition("hybrid-in-partition-not-made-for", "isohdpfx.bin"),
  ...["isohdpfx_c.bin", "isohdpfx_f.bin", "isohdppx_c.bin", "isohdppx_f.bin"].map(
    (first): Case => ({
      name: `hybrid-${first}`,
      make: (w) => hybrid(w, `${first}.iso`, `extra/${first}`),
      on: BIOS_STICK,
    }),
  ),
  {
    name: "isolinux-tracing",
    make: (w) =>
      w.iso(
        "tracing.iso",
        { ...isolinuxFiles(w), "isolinux/isolinux.bin": `${ISOLINUX}/extra/isolinux-debug.bin` },
        ISOLINUX_ENTRY,
      ),
    on: BIOS_DISC,
  },
];
