import type { Change, LinkName } from "../chain/schema";
import type { StartFacts } from "../facts/profile";
import type { BiosStep, StartCode } from "../firmware/bios/view";
import { type Place, placeText } from "../firmware/place";
import type { LoadProblem } from "../firmware/uefi/choose";
import { type Leniency, LOADER_PATHS } from "../firmware/uefi/view";
import { archText, biosStepText, leniencyText, startCodeText } from "./firmware";

/** Every reason of a verdict, as code and facts. */
export type ReasonFacts =
  | { code: "uefi-starts"; file: string; place: Place; arch: string }
  | { code: "bios-starts"; program: StartCode }
  | { code: "no-loader"; arch: string; path: string; others: string[] }
  | LoadProblem
  | { code: "bios-stops"; step: BiosStep | null }
  | { code: "bios-not-known"; step: BiosStep | null }
  | { code: "fact-missing"; fact: string }
  | { code: "secure-boot-not-judged" }
  | { code: "secure-boot-blocks-nothing" }
  | { code: "lenient"; leniency: Leniency }
  | { code: "bios-lenient"; leniency: string }
  | { code: "legacy-mode-on" }
  | { code: "legacy-mode-would-start"; to: "on" | "off" }
  | { code: "other-attachment-would-start"; to: "usb" | "optical" }
  | { code: "usb-start-off" }
  | { code: "fast-boot-on" }
  | { code: "no-optical-drive" }
  | { code: "no-usb-port" }
  | { code: "medium-place-unknown" }
  | { code: "computer-place-unknown" }
  | { code: "medium-at-site"; site: string }
  | { code: "medium-elsewhere"; site: string; computerSite: string }
  | { code: "medium-lent"; to: string }
  | { code: "medium-fault"; fault: string }
  | { code: "release-not-recorded" }
  | { code: "release-drivers-unknown"; release: string | null }
  | { code: "no-image-recorded" }
  | { code: "no-drill-recorded" }
  | { code: "needs-inventory" };

export interface Reason {
  code: ReasonFacts["code"];
  text: string;
  [fact: string]: unknown;
}

export function reason(facts: ReasonFacts): Reason {
  return { ...facts, text: reasonText(facts) };
}

const FACT_NAMES: Record<string, string> = {
  "firmware.kind": "whether its firmware is BIOS or UEFI",
  "firmware.arch": "the architecture of its firmware",
  "firmware.secureBoot.state": "whether Secure Boot is on",
};

export function factText(fact: string): string {
  return FACT_NAMES[fact] ?? fact;
}

function reasonText(facts: ReasonFacts): string {
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
    case "secure-boot-not-judged":
      return "Secure Boot is on, and Creel does not yet judge whether this computer's lists allow the loader. The path itself is sound.";
    case "secure-boot-blocks-nothing":
      return "Secure Boot is in set-up mode, in which the firmware checks no signatures.";
    case "lenient":
      return `Worth a drill: ${leniencyText(facts.leniency)}.`;
    case "bios-lenient":
      return `Worth a drill: ${{ "no-active-partition": "no partition is marked active, which some makers want before they even try", "floppy-emulation": "the disc emulates a floppy, which newer firmware may not do", "hard-disk-emulation": "the disc emulates a hard disk, which newer firmware may not do", "catalogue-checksum": "the checksum of the start catalogue is wrong, which some makers check" }[facts.leniency] ?? facts.leniency}.`;
    case "legacy-mode-on":
      return "The computer is set to legacy mode and starts media as BIOS does.";
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
    case "no-optical-drive":
      return "It has no optical drive: an external one has to be attached.";
    case "no-usb-port":
      return "It has no USB port to attach the medium to.";
    case "medium-place-unknown":
      return "Not recorded: where this medium is.";
    case "computer-place-unknown":
      return "Not recorded: where this computer is.";
    case "medium-at-site":
      return `The medium is at ${facts.site}, where the computer is.`;
    case "medium-elsewhere":
      return `The medium is at ${facts.site}; the computer is at ${facts.computerSite}.`;
    case "medium-lent":
      return `The medium is with ${facts.to}.`;
    case "medium-fault":
      return `Before relying on it: ${facts.fault}`;
    case "release-not-recorded":
      return "Not recorded: which kit release this medium carries, so what it can drive is not known.";
    case "release-drivers-unknown":
      return `Not known: which storage controllers ${facts.release ?? "the release on it"} can drive.`;
    case "no-image-recorded":
      return "Not recorded: an image of this computer, or what the medium can reinstall.";
    case "no-drill-recorded":
      return "Not recorded: a drill of this medium on this computer.";
    case "needs-inventory":
      return "This link needs the inventory: two files alone do not tell.";
  }
}

/** The step that a run ended with, without its place where the program says enough. */
function endText(step: BiosStep): string {
  return step.code === "start-code" ? `it runs ${startCodeText(step.program)}` : biosStepText(step);
}

const SETTING_NAMES: Record<Change["setting"], string> = {
  legacyMode: "legacy mode (CSM)",
  secureBoot: "Secure Boot",
  usbStart: "start from USB",
  fastBoot: "fast boot",
  opticalDrive: "optical drive",
  attachAs: "kind of medium",
  place: "place of the medium",
};

/** "Switch legacy mode (CSM) on": an act for a run sheet. */
export function changeText(change: Change): string {
  if (change.setting === "opticalDrive") return "Attach an external optical drive";
  if (change.setting === "attachAs")
    return change.to === "usb" ? "Write the image to a USB stick instead" : "Burn the image to a disc instead";
  if (change.setting === "place") return `Fetch the medium from ${change.from}`;
  return `Switch ${SETTING_NAMES[change.setting]} ${change.to}`;
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

export function linkTitle(link: LinkName): string {
  return LINK_TITLES[link];
}

export function verdictText(verdict: "holds" | "holds-after-change" | "broken" | "unknown"): string {
  return { holds: "holds", "holds-after-change": "holds after a change", broken: "broken", unknown: "unknown" }[
    verdict
  ];
}
