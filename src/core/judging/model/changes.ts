import type { FirmwareFacts } from "../../computer/facts/schema";
import type { Change, Link } from "./schema";

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

/**
 * Where set-up asks for a password, what is to be changed there is only known to go if somebody wrote down where the
 * password is kept.
 */
export function behindPassword<L extends Pick<Link, "verdict" | "changes" | "reasons">>(
  link: L,
  { setupPassword, setupPasswordPlace }: Pick<FirmwareFacts, "setupPassword" | "setupPasswordPlace">,
): L {
  const isShut = setupPassword === "set" && setupPasswordPlace === null;
  if (!isShut || link.verdict !== "holds-after-change") return link;
  if (!link.changes.some(({ setting }) => SET_UP_SETTINGS.includes(setting))) return link;
  return { ...link, verdict: "unknown", reasons: [{ code: "setup-password-place-unknown" }, ...link.reasons] };
}
