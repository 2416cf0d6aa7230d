import type { Change } from "./schema";

/** Of the two entries that firmware with both modes has for a medium, the one without UEFI is chosen. */
export const LEGACY_ENTRY = { setting: "startOrder", from: "UEFI entry", to: "legacy entry" } as const satisfies Change;

/** The mode that the changes of a start switch to; null where they do not. */
export function switchedMode(changes: readonly Change[]): "uefi" | "bios" | null {
  if (changes.some(({ setting, to }) => setting === LEGACY_ENTRY.setting && to === LEGACY_ENTRY.to)) return "bios";
  const switched = changes.find(({ setting }) => setting === "legacyMode")?.to;
  return switched === undefined ? null : switched === "on" ? "bios" : "uefi";
}

/** Settings that are changed in the computer's own set-up and put back afterwards. */
export const SET_UP_SETTINGS: readonly Change["setting"][] = [
  "legacyMode",
  "secureBoot",
  "usbStart",
  "fastBoot",
  "storageMode",
];
