import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { type Lists, variablesOf, withVariables } from "./flash-variables";

/** What an emulated computer starts by. */
export type EmulatedFirmware = "bios" | "uefi-x64" | "uefi-ia32";

/** Where Debian's package `ovmf` lays the reference firmware. */
export const OVMF = "/usr/share/OVMF";
export const QEMU = "/usr/bin/qemu-system-x86_64";

/** A build of the reference firmware: its code, its empty variables, and whether it wants system management mode. */
export interface UefiFiles {
  code: string;
  vars: string;
  smm: boolean;
}
const UEFI_FILES: Record<Exclude<EmulatedFirmware, "bios">, UefiFiles> = {
  "uefi-x64": { code: "OVMF_CODE_4M.fd", vars: "OVMF_VARS_4M.fd", smm: false },
  "uefi-ia32": { code: "OVMF32_CODE_4M.secboot.fd", vars: "OVMF32_VARS_4M.fd", smm: true },
};
/** The build that knows Secure Boot; on ia32 there is only one. */
const SECURE_X64: UefiFiles = { code: "OVMF_CODE_4M.secboot.fd", vars: "OVMF_VARS_4M.fd", smm: true };

/** The build for such a computer: null for a BIOS, which is in QEMU itself. */
export function firmwareFiles(firmware: EmulatedFirmware, lists: Lists | null): UefiFiles | null {
  if (firmware === "bios") return null;
  return lists && firmware === "uefi-x64" ? SECURE_X64 : UEFI_FILES[firmware];
}

/** Lays the variables of such a computer into a file of its own, with Secure Boot's lists where it has any. */
export function layVariables(files: UefiFiles, lists: Lists | null, file: string): void {
  const empty = readFileSync(join(OVMF, files.vars));
  writeFileSync(file, lists ? withVariables(empty, variablesOf(lists)) : empty);
}

/** What the reference firmware prints when it has nothing more to try. */
export const GAVE_UP = [
  "No bootable device.",
  "UEFI Interactive Shell",
  "No bootable option or device was found",
  "BdsDxe: Press any key",
];

/** What a first-stage loader prints when it refuses the next one, or itself, and waits for somebody to read it. */
export const LOADER_REFUSED = ["Verification failed: ", "shim SBAT data failed"];
/** What the reference firmware prints when Secure Boot lets a loader not run (EFI_ACCESS_DENIED, in words). */
const FIRMWARE_REFUSED = "Access Denied";

/** Whether what was printed says that Secure Boot refused a loader. */
export function wasRefused(text: string): boolean {
  return [FIRMWARE_REFUSED, ...LOADER_REFUSED].some((line) => text.includes(line));
}

/** QEMU's arguments for the firmware: SeaBIOS, or a UEFI build with variables of its own in the file `vars`. */
export function firmwareArgs(uefi: { files: UefiFiles; vars: string } | null): string[] {
  if (!uefi) return ["-M", "q35", "-device", "isa-debugcon,iobase=0x402,chardev=out"];
  const { files, vars } = uefi;
  return [
    ...["-M", files.smm ? "q35,smm=on" : "q35"],
    ...(files.smm ? ["-global", "driver=cfi.pflash01,property=secure,value=on"] : []),
    ...["-drive", `if=pflash,format=raw,unit=0,readonly=on,file=${join(OVMF, files.code)}`],
    ...["-drive", `if=pflash,format=raw,unit=1,file=${vars}`],
  ];
}

/** QEMU's arguments for the one medium that the computer starts from. */
export function mediumArgs(image: string, as: "usb" | "optical", sectorBytes = 512): string[] {
  // A comma in a path would end it there: QEMU's manual, "-drive", doubles it.
  const drive = `file=${image.replaceAll(",", ",,")},format=raw,if=none,id=d`;
  // A stick's own device has sectors of 512 bytes; with others it is a SCSI disk behind the same transport.
  const stick =
    sectorBytes === 512
      ? ["-device", "usb-storage,drive=d,bootindex=1"]
      : [
          ...["-device", "usb-bot,id=stick", "-device"],
          `scsi-hd,bus=stick.0,drive=d,bootindex=1,logical_block_size=${sectorBytes},physical_block_size=${sectorBytes}`,
        ];
  return as === "usb"
    ? ["-drive", drive, "-device", "qemu-xhci", ...stick]
    : ["-drive", `${drive},media=cdrom,readonly=on`, "-device", "ide-cd,drive=d,bootindex=1"];
}
