import type { ImageManifest, SavedPartition } from "../imaging/form";
import { zonedMomentText } from "./dates";
import { bytesText } from "./sizes";
import { visible } from "./visible";

/** What the environment that starts from a medium says: short lines, of plain letters, for 80 columns. */

export interface KitComputer {
  make: string | null;
  model: string | null;
  serial: string | null;
  memoryBytes: number | null;
  firmware: "uefi" | "bios";
  secureBoot: "on" | "off" | "absent" | null;
}

export interface KitDisk {
  name: string;
  model: string | null;
  serial: string | null;
  bytes: number;
  removable: boolean;
  /** Reading its first sector failed. */
  isFailing: boolean;
}

export function kitComputerText({ make, model, serial, memoryBytes }: KitComputer): string {
  const parts = [
    [make, model].filter(Boolean).join(" ") || "maker and model not recorded",
    serial ? `serial ${serial}` : "serial not recorded",
    ...(memoryBytes ? [`${bytesText(memoryBytes)} of memory`] : []),
  ];
  return visible(parts.join(", "));
}

export function kitRecordText(record: { tag: string; name: string | null } | null, isPackThere: boolean): string {
  if (record) return visible([record.tag, record.name].filter(Boolean).join(", "));
  return isPackThere ? "not in the records on this medium" : "no records on this medium";
}

export function kitFirmwareText({ firmware, secureBoot }: KitComputer): string {
  if (firmware === "bios") return "BIOS";
  const state = { on: ", Secure Boot on", off: ", Secure Boot off", absent: ", no Secure Boot" };
  return `UEFI${secureBoot ? state[secureBoot] : ""}`;
}

export function kitDiskText({ name, model, serial, bytes, removable, isFailing }: KitDisk): string {
  const parts = [name, bytesText(bytes), model, serial ? `serial ${serial}` : null, removable ? "removable" : null];
  return visible(`${parts.filter(Boolean).join(", ")}${isFailing ? ": read error" : ""}`);
}

export function kitStoreText(store: { freeBytes: number; filesystem: string } | null): string {
  if (!store) return "none: reports and images cannot be saved";
  return `${bytesText(store.freeBytes)} free (${store.filesystem})`;
}

/** A partition that would be erased. */
export function kitPartitionText({ number, filesystem, bytes }: SavedPartition): string {
  return `  ${number}  ${filesystem ?? "unknown content"}, ${bytesText(bytes)}`;
}

/** An image in the store. */
export function kitImageText({ computer, disk, made, before }: ImageManifest): string {
  const of = computer.tag ?? computer.serial ?? "computer not recorded";
  const parts = [of, zonedMomentText(made, "UTC", true), `disk of ${bytesText(disk.bytes)}`];
  return visible([...parts, ...(before ? ["incremental"] : [])].join(", "));
}

export const KIT = {
  title: "Creel",
  fields: {
    computer: "This computer",
    record: "Record",
    firmware: "Firmware",
    disks: "Disks",
    medium: "Medium",
    store: "Store",
  },
  none: "none found",
  noTag: "no tag recorded",
  keys: {
    survey: "Survey this computer",
    save: "Save an image",
    restore: "Restore an image",
    sheet: "Run sheet",
    off: "Shut down",
  },
  press: "Press a number.",
  back: "Press Enter to go back.",
  pages: "Enter: next page. Escape: back.",
  noStore: "No writable store on this medium. Start from a medium with a store.",
  noDisk: "No disk found. Check its cable and the storage mode in the firmware setup.",
  whichDisk: "Select a disk",
  whichImage: "Select an image",
  noImage: "No image in the store of this medium.",
  noSheet: "No run sheet for this computer on this medium.",
  surveying: "Collecting facts (up to 1 minute)",
  surveyed: (file: string) => `Report saved: ${visible(file)}`,
  surveyFailed: "Survey failed. No report was saved.",
  saves: (bytes: number) => `Space required: up to ${bytesText(bytes)}, usually about half.`,
  doesNotFit: (free: number) => `The store may be too small: ${bytesText(free)} free.`,
  fileTooLarge: (most: number) => `A file on this store has at most ${bytesText(most)}. Use a store with exFAT.`,
  mayBegin: "Start saving? y: yes. Any other key: no.",
  onlyChanges: (day: string) => `The store has an image of this disk from ${day}.`,
  mayBeOnlyChanges: "Save only the changes since? y: yes. Any other key: save all.",
  saving: "Saving",
  verifying: "Verifying",
  saved: (file: string, bytes: number) => `Saved and verified: ${visible(file)}, ${bytesText(bytes)}.`,
  savedUnread: (bytes: number) => `${bytesText(bytes)} of the disk could not be read. The image lists where.`,
  storeFull: "The store is full. No image was saved. Free space, or use a larger store.",
  saveFailed: "Saving failed. No image was saved.",
  imageDiffers: "Verification failed. No image was saved. Do not use this medium; save to another one.",
  erases: (disk: string) => `Restoring erases everything on ${visible(disk)}:`,
  empty: "no readable partitions",
  notSaved: "No image on this medium is of this disk. Its contents cannot be recovered from here.",
  confirmBy: (what: string) => `To erase and restore, type ${what}, then Enter. Enter alone: cancel.`,
  lastLetters: (count: number) => `the last ${count} characters of its serial`,
  wholeSize: "its size in GB",
  second: "Second confirmation",
  noMatch: "No match. Nothing was written.",
  writing: "Writing",
  restored: (bytes: number, minutes: number) =>
    `Restored and verified: ${bytesText(bytes)} in ${minutes <= 1 ? "1 minute" : `${minutes} minutes`}.`,
  diskInUse: "The disk is in use or does not respond. Nothing was written.",
  interrupted: "Restore interrupted. The disk has no usable system. Restore again.",
  diskDiffers: "Verification failed: the disk did not store what was written. Use another disk.",
  imageDamaged: "The image is damaged. Nothing was written. Use another copy of it.",
  imageDamagedLate: "The image is damaged. The disk has no usable system. Restore another copy of the image.",
  bootEntry: (path: string) => `First in the boot order now: ${visible(path)} on this disk.`,
  noBootEntry: "The firmware refused a boot entry. Select the disk in the boot menu.",
  mayRestart: "Shut down, remove this medium, and start the computer.",
} as const;
