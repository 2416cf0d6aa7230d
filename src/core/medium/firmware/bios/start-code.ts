import { Fields, isZero, latin1 } from "../../../kernel/fields";
import type { StartCode } from "./view";

const SECTOR = 512;

/**
 * Names the program in a first sector by what its authors left in it: its messages, and where two variants share
 * them, the instruction that tells them apart. The public sources of each program are the reference (Syslinux
 * 6.04 `mbr/` and `core/`, GRUB 2.06 `grub-core/boot/i386/pc/`, GNU Parted `libparted/labels/dos.c`, Debian's
 * `mbr`); the strings were read off the binaries that Debian ships.
 */
export function recogniseStartCode(sector: Uint8Array): StartCode {
  // The table and signature at the end are data, a table's disk signature before them too.
  const text = latin1(sector.subarray(0, 2048));
  const has = (marker: string) => text.includes(marker);
  if (isZero(sector.subarray(0, Math.min(440, sector.length)))) return "blank";
  if (has("ISOLINUX ") && (has("\xfb\xc0\x78\x70") || hasBootInfoPlace(sector))) return "isolinux";
  if (has("isolinux.bin missing or corrupt.")) return "isolinux-hybrid";
  if (has("no boot info\0cdrom read fails\0")) return "grub-disc";
  if (has("Loading stage2 ") && hasBootInfoPlace(sector)) return "grub-legacy";
  if (has("GRUB \0Geom\0Hard Disk\0Read\0 Error")) return grubVariant(sector);
  if (has("Missing OS\r\n") && has("Multiple active partitions\r\n") && has("\xb8!GPT")) return "gpt-legacy";
  if (has("Multiple active partitions.")) return "classic-strict";
  // The same loader's form that takes the number of its partition from the byte before the table.
  if (has("Missing operating system.\r\n") && has("Operating system load error.")) return "classic-numbered";
  if (has("\xac\x20\xc0\x74\x09\xb4\x0e\xbb\x07\x00\xcd\x10") && has("Boot error\r\n")) return "syslinux";
  if (has("This is not a bootable disk.")) return "format-stub";
  // The boot sectors and first sectors of Windows, by their published messages and the file that they look for.
  if (has("CDBOOT: ")) return "bootmgr-disc";
  if (has("BOOTMGR") && (has("Press any key to restart") || has("Press Ctrl+Alt+Del to restart")))
    return "bootmgr-sector";
  if (has("Invalid partition table") && has("Error loading operating system") && has("Missing operating system"))
    return "classic-windows";
  if (has("Loading Memtest86+")) return "memory-tester";
  if (has("Use a boot loader.") || isKernel(sector) || has("direct floppy boot") || has("Direct floppy boot"))
    return "kernel-stub";
  if (has("MBR \x10\0") && has("1234F")) return "classic-first-active";
  if (has("\xbe\xbe\x07\x38\x04\x75\x0b\x83\xc6\x10\x81\xfe\xfe\x07")) return "classic-chs";
  return "unknown";
}

/** A program for UEFI in place of boot code, as a kernel is that was written to the beginning of a medium. */
function isKernel(sector: Uint8Array): boolean {
  if (sector[0] !== 0x4d || sector[1] !== 0x5a || sector.length < SECTOR) return false;
  const at = new Fields(sector).u32le(0x3c);
  return at + 4 <= SECTOR && latin1(sector.subarray(at, at + 4)) === "PE\0\0";
}

/** Images for discs begin by jumping over their boot info table. */
function hasBootInfoPlace(sector: Uint8Array): boolean {
  return sector[0] === 0xfa && sector[1] === 0xea && sector[3] === 0x7c;
}

/** GRUB's plain and hybrid first sectors read their core's address from different places (boot.S, HYBRID_BOOT). */
function grubVariant(sector: Uint8Array): StartCode {
  // GRUB 0.9x jumps over a shorter head, which tells its version of compatibility (stage1.h, COMPAT_VERSION).
  if (sector[1] === 0x48 && sector[0x3e] === 3) return "grub-legacy";
  return latin1(sector.subarray(0xb0, 0xd0)).includes("\x66\x8b\x1e\xb0\x7d") ? "grub-hybrid" : "grub";
}

/** Whether a sector ends in 55 AA. */
export function isSigned(sector: Uint8Array): boolean {
  return sector.length >= 512 && new Fields(sector).u16le(510) === 0xaa55;
}
