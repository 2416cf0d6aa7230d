import type { StartFacts } from "../computer/facts/profile";
import { LEGACY_ENTRY, SET_UP_SETTINGS } from "../judging/model/changes";
import type { Reason, StartReason } from "../judging/model/reasons";
import type { Change, LinkName } from "../judging/model/schema";
import { LOADER_PATHS } from "../kernel/architecture";
import type { BiosStep } from "../medium/firmware/bios/view";
import { dayText } from "./dates";
import { factText } from "./fact-names";
import { findingText } from "./findings";
import { archText, biosStepText, leniencyText, startCodeText } from "./firmware";
import { linkReasonText } from "./link-reasons";
import { placeText } from "./places";
import { allowedText, CHECKERS, refusalText, undecidedText } from "./secure-boot";

const BIOS_LENIENCIES: Record<Extract<StartReason, { code: "bios-lenient" }>["leniency"], string> = {
  "no-active-partition": "no partition is marked active, which some makers require before they even try",
  "floppy-emulation": "the disc emulates a floppy, which newer firmware may not do",
  "hard-disk-emulation": "the disc emulates a hard disk, which newer firmware may not do",
  "catalogue-checksum": "the checksum of the boot catalogue is wrong, which some makers check",
};

/** The sentence of a reason. */
export function reasonText(facts: Reason): string {
  switch (facts.code) {
    case "uefi-starts":
      return `Its ${archText(facts.arch)} UEFI firmware finds ${facts.file} in ${placeText(facts.place)} and starts it.`;
    case "bios-starts":
      return `BIOS runs the boot code (${startCodeText(facts.program)}), and its next part is there.`;
    case "no-loader":
      return facts.others.length > 0
        ? `Its firmware is ${archText(facts.arch)} and looks for ${facts.path}; the medium has a loader only for ${facts.others.map(archText).join(", ")}.`
        : `Its firmware looks for ${facts.path}, which no readable volume of the medium has.`;
    case "loader-damaged":
      return `${facts.file} is damaged: firmware fails to load it and stops.`;
    case "loader-machine":
      return `${facts.file} is a program for ${archText(facts.machine)}. Firmware refuses it and stops.`;
    case "second-stage-missing":
      return `${facts.file} is a first-stage loader; its ${facts.expected} is missing.`;
    case "second-stage-damaged":
      return `The second stage ${facts.file} is damaged: the first stage cannot load it.`;
    case "second-stage-machine":
      return `The second stage ${facts.file} is a program for ${archText(facts.machine)}: the first stage cannot load it.`;
    case "fallback-first":
      return `The first stage starts ${facts.file}, which looks for installed systems; the result is unknown.`;
    case "fallback-names-none":
      return `${facts.file} looks for ${facts.expected.split("/").at(-1)} in the folders of /EFI. None is there: the computer restarts.`;
    case "next-missing":
      return `${facts.file} starts ${facts.expected}, which is missing.`;
    case "no-boot-entry":
      return facts.expected.endsWith("*.conf")
        ? `Boot manager ${facts.file} has no boot entry (${facts.expected}).`
        : `The boot entry of ${facts.file} needs ${facts.expected}, which is missing.`;
    case "kernel-missing":
      return `${facts.file} is a unified kernel image without a kernel inside.`;
    case "next-asks":
      return `${facts.file} waits for an answer in setup mode: whether to trust ${facts.next}.`;
    case "bios-stops":
      return facts.step ? `BIOS start fails: ${endText(facts.step)}.` : "BIOS finds no boot code.";
    case "bios-not-known":
      return facts.step ? `BIOS start unknown: ${endText(facts.step)}.` : "BIOS start unknown.";
    case "fact-missing":
      return `Not recorded: ${factText(facts.fact)}. Import the computer's facts.`;
    case "loader-allowed":
      return allowedText(facts);
    case "loader-not-allowed":
      return `${CHECKERS[facts.by]} refuses ${facts.file}: ${refusalText(facts.refusal)}.`;
    case "loader-not-decided":
      return undecidedText(facts);
    case "signer-ended":
      return `The certificate behind ${facts.signer} ended on ${dayText(facts.on)}: firmware ignores expiry; newer media use another certificate.`;
    case "read-as-folder":
      return "Read as a folder: its partition table, boot code and file system are unknown. Read the whole stick to be sure: as an image file, at a bench, or by creel inspect on its device.";
    case "setup-password-place-unknown":
      return "Firmware setup needs a password. Password location not recorded.";
    case "platform-recovery":
      return "Worth a drill: the first loader found cannot start, and the reference firmware tries the next one only at the end.";
    case "secure-boot-off-would-start":
      return "Starts with Secure Boot off.";
    case "secure-boot-blocks-nothing":
      return "Secure Boot is in setup mode: signatures are not checked.";
    case "lenient":
      return `Worth a drill: ${leniencyText(facts.leniency)}.`;
    case "bios-lenient":
      return `Worth a drill: ${BIOS_LENIENCIES[facts.leniency]}.`;
    case "legacy-mode-on":
      return "Legacy mode: starts media as BIOS does.";
    case "legacy-entry-would-start":
      return "Both modes offered: the boot menu entry without UEFI starts it as BIOS does.";
    case "legacy-mode-would-start":
      return facts.to === "on" ? "Starts with legacy mode on, as BIOS does." : "Starts with legacy mode off, as UEFI.";
    case "other-attachment-would-start":
      return facts.to === "usb" ? "Written to a stick, it would start." : "Burnt to a disc, it would start.";
    case "usb-start-off":
      return "Start from USB is off.";
    case "fast-boot-on":
      return "Fast boot is on and may skip USB.";
    case "internal-disk-first":
      return "Boot order: internal disk first. While it starts, the medium is not tried.";
    case "no-optical-drive":
      return "No optical drive. Attach an external one.";
    case "no-usb-port":
      return "No USB port. Attach a dock or a card.";
    case "medium-not-read":
      return "Medium not read. Drop its file, or read the medium.";
    case "medium-fault":
      return `Before relying on it: ${findingText(facts.fault)}`;
    case "needs-inventory":
      return "This link needs the inventory.";
    default:
      return linkReasonText(facts);
  }
}

/** The step that a run ended with, without its place where the program says enough. */
function endText(step: BiosStep): string {
  return step.code === "start-code" ? `it runs ${startCodeText(step.program)}` : biosStepText(step);
}

const SETTING_NAMES: Partial<Record<Change["setting"], string>> = {
  legacyMode: "legacy mode (CSM)",
  secureBoot: "Secure Boot",
  usbStart: "start from USB",
  fastBoot: "fast boot",
};

/** "Switch legacy mode (CSM) on": an act for a run sheet. */
export function changeText(change: Change): string {
  switch (change.setting) {
    case "opticalDrive":
      return "Attach an external optical drive";
    case "usbPort":
      return "Attach a dock or a card with a USB port";
    case "attachAs":
      return change.to === "usb" ? "Write the image to a USB stick instead" : "Burn the image to a disc instead";
    case "place":
      return `Fetch the medium from ${change.from}`;
    case "startOrder":
      if (change.to === LEGACY_ENTRY.to) return "Choose the medium's entry without UEFI in the boot menu";
      return "Choose the medium in the boot menu, or put it first in the boot order";
    case "storageMode":
      return `Set the storage controller to ${change.to}`;
    case "driver":
      return change.from === "not loaded" ? `Load the driver ${change.to}` : `Add ${change.to} to the medium`;
    case "keyboard":
      return "Attach a USB keyboard";
    case "store":
      return `Attach ${change.to}`;
    case "target":
      return `Restore to ${change.to} instead of ${change.from}`;
    case "release":
      return `Use ${change.to} instead of ${change.from}`;
    case "drill":
      return "Run a drill";
    case "verification":
      return "Verify the medium";
    default:
      return `Switch ${SETTING_NAMES[change.setting] ?? change.setting} ${change.to}`;
  }
}

/** The same with the key that opens set-up, or the start menu, where that is known. */
export function changeWithKeyText(
  change: Change,
  keys: { setup: string | null; startMenu: string | null } | null,
): string {
  const text = changeText(change);
  const key = SET_UP_SETTINGS.includes(change.setting)
    ? keys?.setup
    : change.setting === "startOrder"
      ? keys?.startMenu
      : null;
  return key ? `${text} (${key})` : text;
}

/** What a medium must have to start a computer with this firmware. UEFI 2.10, 3.5.1.1; BIOS: common practice. */
export function neededText(firmware: Pick<StartFacts["firmware"], "kind" | "arch" | "legacyMode">): string {
  if (firmware.kind === "bios" || firmware.legacyMode === "on") return "Needed: a medium with BIOS boot code.";
  if (firmware.kind === "uefi" && firmware.arch)
    return `Needed: a medium with ${LOADER_PATHS[firmware.arch]} on a FAT volume.`;
  return "Firmware not recorded. Import the computer's facts.";
}

const LINK_TITLES: Record<LinkName, string> = {
  atHand: "At hand",
  starts: "Starts",
  sees: "Sees",
  restores: "Restores",
  proven: "Proven",
};

/** The name of a link of the chain. */
export function linkTitle(link: LinkName): string {
  return LINK_TITLES[link];
}

/** A verdict in a few words. */
export function verdictText(verdict: "holds" | "holds-after-change" | "broken" | "unknown"): string {
  return { holds: "holds", "holds-after-change": "holds after a change", broken: "broken", unknown: "unknown" }[
    verdict
  ];
}
