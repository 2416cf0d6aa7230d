import type { StartFacts } from "../computer/facts/profile";
import { LEGACY_ENTRY, SET_UP_SETTINGS } from "../judging/model/changes";
import type { Reason, StartReason } from "../judging/model/reasons";
import type { Change, LinkName } from "../judging/model/schema";
import { LOADER_PATHS } from "../kernel/architecture";
import type { BiosStep } from "../medium/firmware/bios/view";
import { factText } from "./fact-names";
import { findingText } from "./findings";
import { archText, biosStepText, leniencyText, startCodeText } from "./firmware";
import { linkReasonText } from "./link-reasons";
import { placeText } from "./places";
import { allowedText, CHECKERS, refusalText, undecidedText } from "./secure-boot";

const BIOS_LENIENCIES: Record<Extract<StartReason, { code: "bios-lenient" }>["leniency"], string> = {
  "no-active-partition": "no partition is marked active, which some makers want before they even try",
  "floppy-emulation": "the disc emulates a floppy, which newer firmware may not do",
  "hard-disk-emulation": "the disc emulates a hard disk, which newer firmware may not do",
  "catalogue-checksum": "the checksum of the start catalogue is wrong, which some makers check",
};

/** The sentence of a reason. */
export function reasonText(facts: Reason): string {
  switch (facts.code) {
    case "uefi-starts":
      return `Its ${archText(facts.arch)} UEFI firmware finds ${facts.file} in ${placeText(facts.place)} and starts it.`;
    case "bios-starts":
      return `BIOS runs the medium's start code (${startCodeText(facts.program)}), and what that looks for is there.`;
    case "no-loader":
      return facts.others.length > 0
        ? `Its firmware is ${archText(facts.arch)} and looks for ${facts.path}; the medium has a loader only for ${facts.others.map(archText).join(", ")}.`
        : `Its firmware looks for ${facts.path}, and no volume of the medium that it can read has that file.`;
    case "loader-damaged":
      return `${facts.file} is damaged or cut short: firmware takes it, fails to load it, and looks no further.`;
    case "loader-machine":
      return `${facts.file} bears the right name but is a program for ${archText(facts.machine)}: firmware refuses it and looks no further.`;
    case "second-stage-missing":
      return `${facts.file} is a first-stage loader and wants ${facts.expected}, which is missing.`;
    case "second-stage-damaged":
      return `The second stage ${facts.file} is damaged or cut short: the first stage cannot load it.`;
    case "second-stage-machine":
      return `The second stage ${facts.file} is a program for ${archText(facts.machine)}: the first stage cannot load it.`;
    case "fallback-first":
      return `The first stage hands over to ${facts.file}, which looks for installed systems on this medium; where that leads is not known here.`;
    case "bios-stops":
      return facts.step ? `BIOS does not get through: ${endText(facts.step)}.` : "BIOS finds nothing to run.";
    case "bios-not-known":
      return facts.step
        ? `What happens under BIOS is not known: ${endText(facts.step)}.`
        : "What happens under BIOS is not known.";
    case "fact-missing":
      return `Not known of this computer: ${factText(facts.fact)}.`;
    case "loader-allowed":
      return allowedText(facts);
    case "loader-not-allowed":
      return `${CHECKERS[facts.by]} refuses ${facts.file}: ${refusalText(facts.refusal)}.`;
    case "loader-not-decided":
      return undecidedText(facts);
    case "signer-ended":
      return `The certificate behind ${facts.signer} ended on ${facts.on}: firmware does not look at that, but new media will be signed by another.`;
    case "setup-password-place-unknown":
      return "Firmware setup needs a password. Password location not recorded.";
    case "platform-recovery":
      return "Worth a drill: the loader that is found first cannot be started, and the reference firmware goes on to the next only once nothing else starts.";
    case "secure-boot-off-would-start":
      return "With Secure Boot switched off in its set-up, it starts this medium.";
    case "secure-boot-blocks-nothing":
      return "Secure Boot is in set-up mode, in which the firmware checks no signatures.";
    case "lenient":
      return `Worth a drill: ${leniencyText(facts.leniency)}.`;
    case "bios-lenient":
      return `Worth a drill: ${BIOS_LENIENCIES[facts.leniency]}.`;
    case "legacy-mode-on":
      return "The computer is set to legacy mode and starts media as BIOS does.";
    case "legacy-entry-would-start":
      return "Its firmware offers both modes: by the entry without UEFI in its boot menu it starts this medium as BIOS does.";
    case "legacy-mode-would-start":
      return facts.to === "on"
        ? "With legacy mode switched on in its set-up, it starts this medium as BIOS does."
        : "With legacy mode switched off in its set-up, its UEFI firmware starts this medium.";
    case "other-attachment-would-start":
      return facts.to === "usb" ? "Written to a stick, it would start." : "Burnt to a disc, it would start.";
    case "usb-start-off":
      return "Starting from USB is switched off in its set-up.";
    case "fast-boot-on":
      return "Fast boot is on and may pass over USB devices at start-up.";
    case "internal-disk-first":
      return "Its start order has the internal disk before the medium: while that still starts, the medium is not asked.";
    case "no-optical-drive":
      return "It has no optical drive: an external one has to be attached.";
    case "no-usb-port":
      return "It has no USB port to attach the medium to: a dock or a card with one is needed.";
    case "medium-not-read":
      return "Nothing was read from this medium yet: drop its file, or read the medium itself.";
    case "medium-fault":
      return `Before relying on it: ${findingText(facts.fault)}`;
    case "needs-inventory":
      return "This link needs the inventory: two files alone do not tell.";
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
      return "Choose the medium in the start menu, or put it before the internal disk in the start order";
    case "storageMode":
      return `Set the storage controller to ${change.to}`;
    case "driver":
      return change.from === "not loaded" ? `Load the driver ${change.to}` : `Carry along ${change.to}`;
    case "keyboard":
      return "Attach a keyboard by USB";
    case "store":
      return `Attach ${change.to}`;
    case "target":
      return `Restore to ${change.to} instead of ${change.from}`;
    case "release":
      return `Take ${change.to} instead of ${change.from}`;
    case "drill":
      return "Hold a drill";
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
  if (firmware.kind === "bios" || firmware.legacyMode === "on")
    return "What is needed: a medium with start code for BIOS.";
  if (firmware.kind === "uefi" && firmware.arch)
    return `What is needed: a medium with ${LOADER_PATHS[firmware.arch]} on a FAT volume.`;
  return "What is needed cannot be said until its firmware is known.";
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
