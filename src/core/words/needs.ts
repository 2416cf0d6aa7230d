import type { SupportState } from "../computer/calendars/calendar";
import type { AttachHint, CapacityTerm, Outcome, SignerNeed, StartNeed } from "../computer/needs/needs";
import { archText } from "./firmware";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

export const OUTCOME_TITLES: Record<Outcome, string> = {
  image: "Back as of a date (image)",
  reinstall: "Reinstalled",
  repair: "Start-up repaired",
  files: "Files rescued",
};

/** A size in both unit systems. */
export function bothText(bytes: number): string {
  return `${bytesText(bytes)} (${binaryText(bytes)})`;
}

/** "2 to 4 GB"; bytes, null where an end is not known. */
export function rangeText(least: number | null, most: number | null): string {
  if (least === null && most === null) return "not known";
  if (least === null) return `at most ${bothText(most as number)}`;
  if (most === null) return `at least ${bothText(least)}`;
  return least === most ? bothText(least) : `${bothText(least)} to ${bothText(most)}`;
}

/** What a medium must have to be started, in a sentence. */
export function startNeedText(start: StartNeed): string {
  switch (start.kind) {
    case "uefi":
      return `${start.path} on a FAT volume (or in a start image of a disc), for ${archText(start.arch)} firmware.`;
    case "bios":
      return "A first sector with start code (a stick), or a BIOS start image as the default entry (a disc).";
    case "unknown":
      return start.missing === "firmwareKind"
        ? "Not known: whether the firmware is BIOS or UEFI is not recorded."
        : "Not known: the architecture of the UEFI firmware is not recorded.";
  }
}

/** By whom its loaders must be signed, in a sentence. */
export function signerNeedText(need: SignerNeed): string {
  switch (need.state) {
    case "not-checked":
      return "Any: nothing checks signatures as the computer is set now.";
    case "unknown":
      return "Not known: what Secure Boot allows is not recorded. Collect the facts on the computer itself.";
    case "nothing-allowed":
      return "None: the lists allow no certificate that is not revoked.";
    case "signed":
      return `A signature that goes back to one of: ${need.signers.map((name) => visible(name, 80)).join("; ")}.`;
  }
}

/** One summand of the room that is needed: what it is for. */
export function termText(term: CapacityTerm): string {
  const of = term.of === null ? "" : ` of ${visible(term.of, 60)}`;
  switch (term.code) {
    case "kit":
      return "the kit itself";
    case "installer":
      return `system files for a full reinstall${of}`;
    case "used-data":
      return `stored content${of}: 0.5 to 0.7 of what is used`;
    case "whole-partition":
      return `stored content${of}: encrypted, taken whole unless it is opened first`;
    case "unknown-use":
      return term.of === null
        ? "content of the disks: not known"
        : `stored content${of}: how much is used is not known`;
    case "rescued-data":
      return `files${of}, copied as they are`;
    case "spare":
      return "room for tables and file system: 2 in 100";
  }
}

/** What to know before a medium is attached, in a sentence. */
export function hintText(hint: AttachHint): string {
  switch (hint.code) {
    case "usb-ports":
      return hint.count === null
        ? "How many USB ports it has is not known."
        : hint.count === 0
          ? "It has no USB port: only a disc will do."
          : hint.count === 1
            ? "It has one USB port: medium and keyboard cannot both be attached without a hub."
            : `It has ${hint.count} USB ports.`;
    case "usb-start-off":
      return "Starting from USB is switched off: set-up must allow it first.";
    case "usb-start-unknown":
      return "Whether it may start from USB is not known.";
    case "fast-boot":
      return "Fast boot is on and may skip USB: switch it off in set-up.";
    case "optical":
      return hint.present === null
        ? "Whether it has an optical drive is not known."
        : hint.present
          ? "It has an optical drive: a disc will do too."
          : "It has no optical drive.";
    case "raid-mode":
      return `The disk ${visible(hint.disk, 40)} is behind a RAID controller: the kit needs its driver, or does not see the disk.`;
    case "unlock":
      return hint.keyPlace
        ? `Partition ${visible(hint.partition, 40)} is encrypted; its recovery key: ${visible(hint.keyPlace)}.`
        : `Partition ${visible(hint.partition, 40)} is encrypted, and where its recovery key is kept is not recorded.`;
    case "unplug-others":
      return `Disconnect the other disks (${hint.disks.map((name) => visible(name, 40)).join(", ")}) before writing to the target.`;
  }
}

const ENDS: Record<string, string> = {
  eol: "support",
  "eol-lts": "long-term support",
  "eol-elts": "extended long-term support",
  "eol-server": "support of servers",
  "eol-esm": "extended security maintenance",
  "eol-legacy": "legacy support",
};

/** A name at the end of a sentence, without a second full stop. */
export function endName(name: string): string {
  return ENDS[name] ?? name.replace(/^eol-/, "support (") + (name.startsWith("eol-") ? ")" : "");
}

/** How a release stands, in words. `dateText` writes an ISO date as people read it. */
export function supportText(support: SupportState, dateText: (date: string) => string): string {
  const { state, end } = support;
  switch (state) {
    case "not-released":
      return "not released yet";
    case "open":
      return "no end of support is set";
    case "ended":
      return `support ended on ${dateText((end as { date: string }).date)}`;
    case "supported":
      return `supported until ${end ? dateText(end.date) : "an open end"}`;
    case "extended":
      return `past its plain support; ${end ? `${endName(end.name)} until ${dateText(end.date)}` : "extended"}`;
  }
}
