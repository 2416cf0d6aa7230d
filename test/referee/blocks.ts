import { readFileSync } from "node:fs";
import { MARKER, run, type Workshop } from "../../scripts/media/workshop";
import type { As, Firmware, Machine } from "./machine";
import { SET_UPS, type SetUpName } from "./set-ups";

/** A medium made by reference tools, and the computers it is tried on. */
export interface Case {
  name: string;
  make: (w: Workshop) => string;
  on: Cell[];
  /** Part of the short series that every test run starts on real firmware. */
  fast?: boolean;
}

/** A computer to try it on; with a third part, one that has these Secure Boot lists. */
export type Cell = [Firmware, As | typeof LARGE_SECTORS] | [Firmware, As, SetUpName];

/** A stick with sectors of 4,096 bytes. */
export const LARGE_SECTORS = "usb-4096";

/** A cell's name in the table of what was observed. */
export function cellName(name: string, [firmware, as, setUp]: Cell): string {
  return [name, firmware, as, ...(setUp ? [setUp] : [])].join(" ");
}

export function machineOf(w: Workshop, [firmware, as, setUp]: Cell): Machine {
  const lists = setUp ? SET_UPS[setUp](w) : null;
  return as === LARGE_SECTORS ? { firmware, as: "usb", sectorBytes: 4096, lists } : { firmware, as, lists };
}

export const X64_STICK: [Firmware, As][] = [["uefi-x64", "usb"]];
export const IA32_STICK: [Firmware, As][] = [["uefi-ia32", "usb"]];
export const BIOS_STICK: [Firmware, As][] = [["bios", "usb"]];
export const BIOS_DISC: [Firmware, As][] = [["bios", "optical"]];
export const BOTH_UEFI: [Firmware, As][] = [...X64_STICK, ...IA32_STICK];
export const EVERYWHERE: [Firmware, As][] = [
  ["uefi-ia32", "usb"],
  ["uefi-ia32", "optical"],
  ["bios", "usb"],
  ["bios", "optical"],
];

export const SYSLINUX = "/usr/lib/syslinux";
export const ISOLINUX = "/usr/lib/ISOLINUX";
export const GRUB = "/usr/lib/grub/i386-pc";

// Building blocks.

export const espVolume = (w: Workshop, bits = 16, sizeMiB = 20) =>
  w.fat(
    `esp${bits}-${sizeMiB}.img`,
    sizeMiB,
    bits,
    { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "EFI/BOOT/BOOTIA32.EFI": w.efi("ia32") },
    bits === 12 ? ["-s", "16"] : bits === 32 ? ["-s", "1"] : ["-s", "4"],
  );

export const gptStick = (w: Workshop, name: string, type = "ef00") =>
  w.gpt(name, 24, ["-n", "1:2048:+20M", "-t", `1:${type}`], { 1: espVolume(w) });

export const mbrStick = (w: Workshop, name: string, entry = "2048,40960,ef") =>
  w.mbr(name, 24, entry, { 1048576: espVolume(w) });

export const code = (w: Workshop, image: string, file: string) => w.put(image, 0, readFileSync(file).subarray(0, 440));

/** GRUB's first sector and its core in the gap before the first partition, as its installer lays them. */
export function grubGap(w: Workshop, image: string, coreSector = 1, boot = "boot.img"): void {
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

export function syslinuxVolume(
  w: Workshop,
  name: string,
  options: { hidden?: number; install?: boolean } = {},
): string {
  const config = w.text("syslinux.cfg", `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n`);
  const volume = w.fat(name, 20, 16, { "syslinux.cfg": config }, [
    "-s",
    "4",
    ...(options.hidden ? ["-h", String(options.hidden)] : []),
  ]);
  if (options.install !== false) run("syslinux", ["--install", volume]);
  return volume;
}

export const syslinuxStick = (
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

export function flip(w: Workshop, image: string, offset: number): string {
  const byte = w.bytes(image)[offset] as number;
  w.put(image, offset, new Uint8Array([byte ^ 0xff]));
  return image;
}

export const isolinuxFiles = (w: Workshop) => ({
  "isolinux/isolinux.bin": `${ISOLINUX}/isolinux.bin`,
  "isolinux/ldlinux.c32": `${SYSLINUX}/modules/bios/ldlinux.c32`,
  "isolinux/isolinux.cfg": w.text("isolinux.cfg", `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n`),
});
export const ISOLINUX_ENTRY = [
  "-b",
  "isolinux/isolinux.bin",
  "-c",
  "isolinux/boot.cat",
  "-no-emul-boot",
  "-boot-load-size",
  "4",
  "-boot-info-table",
];

export const efiIso = (w: Workshop, name: string, options: string[] = [], files: Record<string, string> = {}) =>
  w.iso(name, { "boot/esp.img": espVolume(w, 12, 8), ...files }, [
    ...options,
    "-eltorito-alt-boot",
    "-e",
    "boot/esp.img",
    "-no-emul-boot",
  ]);

export const grubIso = (w: Workshop, name: string, options: string[] = []) =>
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

/** What GRUB's own disc maker makes: both firmwares, as a stick and as a disc. */
export function grubRescue(w: Workshop, name: string): string {
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
export function isohybrid(w: Workshop, name: string, ...options: string[]): string {
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
export function shimStick(w: Workshop, name: string, second: string | null): string {
  const files: Record<string, string> = { "EFI/BOOT/BOOTX64.EFI": "/usr/lib/shim/shimx64.efi.signed" };
  if (second) files["EFI/BOOT/grubx64.efi"] = second;
  return w.fat(name, 20, 16, files, ["-s", "4"]);
}

/** Two partitions: the first with an odd loader, the second with a good one. */
export function twoVolumes(name: string, odd: (w: Workshop) => string): Case[] {
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
export function brokenChain(w: Workshop): string {
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

export function udfIso(w: Workshop): string {
  const tree = w.path("udf.tree");
  run("mkdir", ["-p", `${tree}/EFI/BOOT`]);
  run("cp", [w.efi("ia32"), `${tree}/EFI/BOOT/BOOTIA32.EFI`]);
  run("genisoimage", ["-quiet", "-udf", "-V", "KIT", "-o", w.path("udf.iso"), tree]);
  return w.path("udf.iso");
}

export function catalogueAt(w: Workshop, image: string): number {
  return w.bytes(image).readUInt32LE(17 * 2048 + 71) * 2048;
}

export function catalogue(w: Workshop, name: string, offset: (at: number) => number): string {
  const image = w.iso(name, { ...isolinuxFiles(w), "boot/esp.img": espVolume(w, 12, 8) }, [
    ...ISOLINUX_ENTRY,
    "-eltorito-alt-boot",
    "-e",
    "boot/esp.img",
    "-no-emul-boot",
  ]);
  return flip(w, image, offset(catalogueAt(w, image)));
}

export function floppyIso(w: Workshop): string {
  const config = w.text("syslinux.cfg", `SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n`);
  const floppy = w.blank("floppy.img", 1.40625);
  run("mkfs.fat", ["-F", "12", floppy]);
  run("mcopy", ["-i", floppy, config, "::/syslinux.cfg"]);
  run("syslinux", ["--install", floppy]);
  return w.iso("floppy.iso", { "floppy.img": floppy }, ["-b", "floppy.img"]);
}

export function partedStick(w: Workshop): string {
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
export function grubInVolume(w: Workshop): string {
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

/** Syslinux as a UEFI loader, with or without the module that brings up its menu. */
export function syslinuxEfi(w: Workshop, name: string, withModule: boolean): string {
  const files: Record<string, string> = {
    "EFI/BOOT/BOOTX64.EFI": "/usr/lib/SYSLINUX.EFI/efi64/syslinux.efi",
    "EFI/BOOT/syslinux.cfg": w.text("syslinux-efi.cfg", "SERIAL 0 115200\nPROMPT 1\nTIMEOUT 0\n"),
  };
  if (withModule) files["EFI/BOOT/ldlinux.e64"] = `${SYSLINUX}/modules/efi64/ldlinux.e64`;
  return w.fat(name, 20, 16, files, ["-s", "4"]);
}

/** A good volume in an entry whose type byte says that there is none. */
export function mbrTypeZero(w: Workshop): string {
  const image = mbrStick(w, "mbr0.img");
  w.put(image, 446 + 4, new Uint8Array([0]));
  return image;
}
