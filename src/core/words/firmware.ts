import type { BiosStep, StartCode } from "../medium/firmware/bios/view";
import type { AbsentWhy } from "../medium/firmware/uefi/choose";
import type { Leniency, UefiNote } from "../medium/firmware/uefi/view";
import { placeText } from "./places";

/** Sentences for what firmware notices on its way: one line of a trace each. */

const ARCH_NAMES: Record<string, string> = {
  x64: "64-bit (x64)",
  ia32: "32-bit (ia32)",
  aa64: "64-bit ARM (aa64)",
  arm: "32-bit ARM",
  riscv64: "RISC-V (riscv64)",
  x86: "x86",
};

/** An architecture as people say it: "64-bit (x64)". */
export function archText(arch: string): string {
  return ARCH_NAMES[arch] ?? `machine type ${arch}`;
}

const FILE_SYSTEM_NAMES: Record<string, string> = {
  fat12: "FAT12",
  fat16: "FAT16",
  folder: "folder",
  fat32: "FAT32",
  exfat: "exFAT",
  ntfs: "NTFS",
  iso9660: "ISO 9660",
  udf: "UDF",
  squashfs: "squashfs",
  xfs: "XFS",
  jfs: "JFS",
  nilfs2: "NILFS2",
  reiserfs: "ReiserFS",
  apfs: "APFS",
  "hfs+": "HFS+",
  swap: "swap space",
  lvm: "an LVM volume",
  luks: "an encrypted volume (LUKS)",
  bitlocker: "an encrypted volume (BitLocker)",
};

/** The name of a file system as it is written: "NTFS". */
export function fileSystemText(kind: string | null): string {
  return kind === null ? "no known file system" : (FILE_SYSTEM_NAMES[kind] ?? kind);
}

/** What UEFI firmware makes of a table or volume, in a sentence. */
export function uefiNoteText(note: UefiNote): string {
  const where = placeText(note.place);
  switch (note.code) {
    case "gpt-used":
      return note.from === "primary"
        ? `${where}: the GPT is intact`
        : `${where}: the first GPT header is damaged, the backup in the last sector is used`;
    case "gpt-not-protected":
      return `${where}: a GPT without a protective entry in sector 0 does not count`;
    case "gpt-damaged":
      return `${where}: both GPT headers are unusable`;
    case "gpt-entry-skipped":
      return `${where}: GPT partition ${note.number} is left out (${note.fault === "overlaps" ? "it overlaps another" : note.fault === "no-block-io" ? "it is marked as not for firmware" : "it lies outside the usable range"})`;
    case "el-torito-used":
      return `${where}: the boot catalogue is intact, ${note.entries === 1 ? "one entry" : `${note.entries} entries`} can be started`;
    case "el-torito-refused":
      return `${where}: the boot catalogue is refused (${{ "outside-medium": "it is not on the medium", header: "its first entry is not valid", checksum: "its checksum is wrong", "nothing-startable": "no entry is marked as startable" }[note.fault]})`;
    case "mbr-used":
      return `${where}: the partition table in sector 0 is used (${note.partitions === 1 ? "one partition" : `${note.partitions} partitions`})`;
    case "mbr-unsigned":
      return `${where}: sector 0 does not end in 55 AA, its partition table does not count`;
    case "mbr-void":
      return `${where}: entry ${note.slot} of the partition table ${note.fault === "entry-past-end" ? "reaches past the end of the medium" : "overlaps another"}, so the whole table is dropped`;
    case "volume-not-read":
      return `${where}: ${fileSystemText(note.filesystem)}, which UEFI firmware does not have to read`;
    case "fat-too-few-clusters":
      return `${where}: FAT32 with too few clusters (${note.clusters}) is refused`;
  }
}

/** Why there is no loader at a place, within a sentence. */
export function absentText(why: AbsentWhy): string {
  return {
    empty: "it is empty",
    unreadable: "its content cannot be read to the end",
    "not-pe": "it is not a program",
    "not-application": "it is not an EFI application",
  }[why];
}

const PROGRAM_NAMES: Record<StartCode, string> = {
  "classic-strict": "generic boot code that needs exactly one active partition",
  "classic-first-active": "generic boot code that takes the first active partition",
  "classic-chs": "generic boot code that takes the first active partition by its old-style address",
  "classic-numbered": "generic boot code with a fixed partition number",
  "gpt-legacy": "GPT-aware boot code that needs one partition marked for legacy boot",
  grub: "GRUB's first sector",
  "grub-hybrid": "GRUB's first sector for hybrid discs",
  "grub-disc": "GRUB's boot image for discs",
  syslinux: "Syslinux's boot sector",
  isolinux: "ISOLINUX",
  "isolinux-hybrid": "ISOLINUX's first sector for hybrid discs",
  "grub-legacy": "GRUB 0.9x",
  "classic-windows": "Windows boot code for partitioned disks",
  "bootmgr-sector": "Windows boot sector",
  "bootmgr-disc": "Windows boot image for discs",
  "memory-tester": "a memory tester (Memtest86+)",
  "kernel-stub": "a kernel instead of boot code, which BIOS cannot start",
  "format-stub": "the stub that formatting tools leave, which only prints that this cannot be started",
  blank: "nothing but zeros, at which the computer hangs",
  unknown: "boot code that Creel does not know",
};

/** The name of a program that BIOS starts. */
export function startCodeText(program: StartCode): string {
  return PROGRAM_NAMES[program];
}

/** One step of how BIOS comes up from a medium, in a sentence. */
export function biosStepText(step: BiosStep): string {
  switch (step.code) {
    case "medium-too-short":
      return "the medium is too small for BIOS to read as a disk (less than one cylinder of 1,008 sectors)";
    case "folder-read":
      return "read as a folder: boot code unknown";
    case "sectors-too-large":
      return `BIOS starts only sticks with 512-byte sectors; this one has ${step.bytes.toLocaleString("en-GB")}-byte sectors`;
    case "no-boot-record":
      return "sector 17 of the disc has no boot record (El Torito)";
    case "catalogue-outside":
      return "the boot catalogue is not on the disc";
    case "catalogue-header":
      return "the boot catalogue does not begin with a valid entry";
    case "default-entry-platform":
      return step.platform === 0xef
        ? "the first entry of the boot catalogue is for UEFI only"
        : `the first entry of the boot catalogue is for another platform (${step.platform})`;
    case "default-entry-not-startable":
      return "the first entry of the boot catalogue is not marked as startable";
    case "default-entry-outside":
      return `the boot image in sector ${step.sector} is not on the disc`;
    case "default-entry-empty":
      return "the first entry of the boot catalogue loads nothing";
    case "default-entry-loaded":
      return `the boot image in sector ${step.sector} is loaded${step.emulation === "none" ? "" : ` (emulating a ${step.emulation})`}`;
    case "sector-unsigned":
      return step.place.length === 0
        ? "sector 0 does not end in 55 AA: nothing is started from it"
        : `${placeText(step.place)}: its first sector does not end in 55 AA, there is no system to start`;
    case "start-code":
      return `${placeText(step.place)}: ${startCodeText(step.program)}`;
    case "no-active-partition":
      return "no partition is marked active";
    case "several-active-partitions":
      return `${step.count} partitions are marked active, only one may be`;
    case "no-legacy-start-partition":
      return "no GPT partition is marked for legacy boot";
    case "several-legacy-start-partitions":
      return `${step.count} GPT partitions are marked for legacy boot, only one may be`;
    case "gpt-missing":
      return "the boot code looks for a GPT and finds none";
    case "partition-outside":
      return `${placeText(step.place)} begins past the end of the medium`;
    case "address-beyond-chs":
      return "the old-style address of the active partition lies past what BIOS can address";
    case "core-missing":
      return `${startCodeText(step.program)} looks for its next part in sector ${step.sector}, which does not hold it`;
    case "core-cut":
      return `the next part of ${startCodeText(step.program)} reaches past the end of the medium`;
    case "core-damaged":
      return `the next part of ${startCodeText(step.program)} is damaged`;
    case "reads-floppy":
      return `${startCodeText(step.program)} starts only from a floppy: it loads itself from the first floppy drive`;
    case "drive-too-small":
      return `${startCodeText(step.program)} does not find a disk smaller than 32 MiB`;
    case "boot-info-missing":
      return "the boot image lacks the table that tells it where it lies on the disc";
    case "boot-store":
      return step.state === "missing"
        ? `the Windows boot files lack ${step.file}`
        : step.state === "damaged"
          ? `the boot entries in ${step.file} cannot be read`
          : "the default boot entry starts from a disk, not from the medium";
    case "module-missing":
      return `${step.file} is missing, without which the menu does not come up`;
    case "core-runs":
      return `${startCodeText(step.program)}: its next part is there and runs`;
    case "too-many-steps":
      return "the boot code hands over too often to be followed";
  }
}

/** What only lenient firmware takes, in a sentence. */
export function leniencyText(leniency: Leniency): string {
  return {
    "partition-type": "its partition does not have the EFI system type, which some makers require",
    "logical-partition": "it lies in a logical partition, which some makers do not look into",
    "el-torito-on-stick": "it is found through the disc's boot catalogue although this is a stick",
    "el-torito-platform": "its catalogue entry is not marked for UEFI",
    "el-torito-emulation": "its catalogue entry emulates a floppy or disk",
    udf: "it lies in a UDF volume, which the specification does not require firmware to read",
    "boot-sector-unsigned": "its boot sector does not end in 55 AA",
    "gpt-backup": "only the backup GPT is intact",
  }[leniency];
}
