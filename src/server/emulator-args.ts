import { join } from "node:path";

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
export const UEFI_FILES: Record<Exclude<EmulatedFirmware, "bios">, UefiFiles> = {
  "uefi-x64": { code: "OVMF_CODE_4M.fd", vars: "OVMF_VARS_4M.fd", smm: false },
  "uefi-ia32": { code: "OVMF32_CODE_4M.secboot.fd", vars: "OVMF32_VARS_4M.fd", smm: true },
};

/** What the reference firmware prints when it has nothing more to try. */
export const GAVE_UP = [
  "No bootable device.",
  "UEFI Interactive Shell",
  "No bootable option or device was found",
  "BdsDxe: Press any key",
];

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
export function mediumArgs(image: string, as: "usb" | "optical"): string[] {
  // A comma in a path would end it there: QEMU's manual, "-drive", doubles it.
  const drive = `file=${image.replaceAll(",", ",,")},format=raw,if=none,id=d`;
  return as === "usb"
    ? ["-drive", drive, "-device", "qemu-xhci", "-device", "usb-storage,drive=d,bootindex=1"]
    : ["-drive", `${drive},media=cdrom,readonly=on`, "-device", "ide-cd,drive=d,bootindex=1"];
}
