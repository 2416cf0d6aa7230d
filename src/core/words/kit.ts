import type { SavedPartition } from "../imaging/form";
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
    [make, model].filter(Boolean).join(" ") || "Maker and model not told",
    serial ? `serial ${serial}` : "no serial told",
    ...(memoryBytes ? [`${bytesText(memoryBytes)} of memory`] : []),
  ];
  return visible(parts.join(", "));
}

export function kitRecordText(record: { tag: string; name: string | null } | null, isPackThere: boolean): string {
  if (record) return visible(`${record.tag}${record.name ? `, ${record.name}` : ""}, by the records on this medium`);
  return isPackThere ? "Not in the records on this medium" : "This medium carries no records";
}

export function kitStartedText({ firmware, secureBoot }: KitComputer): string {
  if (firmware === "bios") return "by BIOS";
  const state = { on: ", Secure Boot on", off: ", Secure Boot off", absent: ", without Secure Boot" };
  return `by UEFI${secureBoot ? state[secureBoot] : ""}`;
}

export function kitDiskText({ name, model, serial, bytes, removable, isFailing }: KitDisk): string {
  const parts = [name, bytesText(bytes), model, serial ? `serial ${serial}` : null, removable ? "removable" : null];
  return visible(`${parts.filter(Boolean).join(", ")}${isFailing ? ": cannot be read" : ""}`);
}

export function kitStoreText(store: { freeBytes: number; filesystem: string } | null): string {
  if (!store) return "none: nothing can be saved onto this medium";
  return `${bytesText(store.freeBytes)} free (${store.filesystem})`;
}

/** A partition before it is saved. */
export function kitSavingText({ number, filesystem, bytes, saved, savedBytes, doubt }: SavedPartition): string {
  const what = saved === "used" ? `${bytesText(savedBytes)} in use` : `all of it, ${bytesText(savedBytes)}`;
  return `${number}  ${filesystem ?? "unknown content"}, ${bytesText(bytes)}: ${what}${doubt ? " (it was not left in order)" : ""}`;
}

export const KIT = {
  title: "Creel",
  keys: {
    survey: "Survey this computer",
    save: "Save an image",
    restore: "Restore an image",
    sheet: "Run sheet",
    off: "Shut down",
  },
  press: "Press a number.",
  back: "Press Enter to go back.",
  noStore: "This medium has no store that can be written. Start from a medium that Creel made with a store.",
  noDisk: "No disk was found. Check its cable and the storage mode in the firmware setup.",
  whichDisk: "Which disk?",
  whichImage: "Which image?",
  noImage: "There is no image in the store of this medium.",
  noSheet: "There is no run sheet for this computer on this medium.",
  surveying: "Surveying: up to a minute.",
  surveyed: (file: string) => `The report is on the medium: ${visible(file)}`,
  surveyFailed: "The survey did not come to its end. What the computer told is not kept.",
  saves: (bytes: number) => `At most ${bytesText(bytes)} will be written; most of it packs to about half.`,
  doesNotFit: (needed: number, free: number) =>
    `The store may be too small: up to ${bytesText(needed)} are needed and ${bytesText(free)} are free. Saving stops with a message where it is full.`,
  mayBegin: "Begin? Press y for yes, any other key for no.",
  goesOn: (day: string) => `The store has an image of this disk, saved ${day}. Save only what changed since? (y/n)`,
  saving: "Saving",
  checking: "Reading the image back",
  saved: (file: string, bytes: number) => `Saved and read back: ${visible(file)}, ${bytesText(bytes)}.`,
  savedUnread: (bytes: number) => `The disk did not give ${bytesText(bytes)}; the image names where.`,
  storeFull: "The store is full. Nothing of this image was kept.",
  saveFailed: "The image could not be saved. Nothing of it was kept.",
  readBackDiffers: "What was read back is not what was saved. Do not rely on this medium: save onto another one.",
  lost: (disk: string) => `Everything on ${visible(disk)} will be lost:`,
  empty: "it has no partitions that can be read",
  notSaved: "No image on this medium is of this disk. What it holds cannot be recovered from here.",
  confirmBy: (what: string) => `To begin, type ${what} and press Enter. Enter alone goes back.`,
  notConfirmed: "That is not it. Nothing was written.",
  restoring: "Writing",
  readingBack: "Reading the disk back",
  restored: (bytes: number, minutes: number) =>
    `Restored: ${bytesText(bytes)} written and read back in ${minutes <= 1 ? "a minute" : `${minutes} minutes`}.`,
  restoreCutOff: "It was cut off: the disk holds neither what it held nor the image. It can be begun again.",
  imageDamaged:
    "The image is damaged. The disk holds neither what it held nor the image. Use another copy of the image.",
  startEntry: (path: string) => `The firmware now starts ${visible(path)} from this disk.`,
  noStartEntry: "The firmware took no entry for this disk. Choose it in the firmware's boot menu.",
  mayRestart: "Shut down, take this medium out, and start the computer.",
  lastLetters: (count: number) => `the last ${count} characters of its serial`,
  wholeSize: "its size in GB",
} as const;
