import type { Change } from "./schema";

/** Settings that are changed in the computer's own set-up and put back afterwards. */
export const SET_UP_SETTINGS: readonly Change["setting"][] = [
  "legacyMode",
  "secureBoot",
  "usbStart",
  "fastBoot",
  "storageMode",
];
