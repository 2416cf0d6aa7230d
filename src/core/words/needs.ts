import type { SupportState } from "../computer/calendars/calendar";
import type { AttachHint, CapacityTerm, Outcome, SignerNeed, StartNeed } from "../computer/needs/needs";
import { archText } from "./firmware";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

export const OUTCOME_TITLES: Record<Outcome, string> = {
  image: "Image restored",
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
  if (least === null && most === null) return "not recorded";
  if (least === null) return `at most ${bothText(most as number)}`;
  if (most === null) return `at least ${bothText(least)}`;
  return least === most ? bothText(least) : `${bothText(least)} to ${bothText(most)}`;
}

/** What a medium must have to be started, in a sentence. */
export function startNeedText(start: StartNeed): string {
  switch (start.kind) {
    case "uefi":
      return `${start.path} on a FAT volume (or in a boot image of a disc), for ${archText(start.arch)} firmware.`;
    case "bios":
      return "Boot code in the first sector (stick), or a BIOS boot image as default entry (disc).";
    case "unknown":
      return start.missing === "firmwareKind" ? "Firmware kind not recorded." : "UEFI architecture not recorded.";
  }
}

/** By whom its loaders must be signed, in a sentence. */
export function signerNeedText(need: SignerNeed): string {
  switch (need.state) {
    case "not-checked":
      return "Any: signatures are not checked.";
    case "unknown":
      return "Secure Boot lists not recorded. Collect facts on the computer.";
    case "nothing-allowed":
      return "None: every allowed certificate is revoked.";
    case "signed":
      return `A signature from one of: ${need.signers.map((name) => visible(name, 80)).join("; ")}.`;
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
      return `stored content${of}: 0.5 to 0.7 of the used space`;
    case "measured-data":
      return `stored content${of}: sized from earlier images`;
    case "whole-partition":
      return `stored content${of}: encrypted, taken whole unless unlocked first`;
    case "unknown-use":
      return term.of === null ? "content of the disks: not recorded" : `stored content${of}: used space not recorded`;
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
        ? "USB ports not recorded."
        : hint.count === 0
          ? "No USB port: use a disc."
          : hint.count === 1
            ? "One USB port: a hub is needed for medium and keyboard."
            : `${hint.count} USB ports.`;
    case "usb-start-off":
      return "Start from USB is off. Allow it in setup.";
    case "usb-start-unknown":
      return "Start from USB not recorded.";
    case "fast-boot":
      return "Fast boot is on and may skip USB. Switch it off in setup.";
    case "optical":
      return hint.present === null
        ? "Optical drive not recorded."
        : hint.present
          ? "Optical drive: a disc works too."
          : "No optical drive.";
    case "raid-mode":
      return `The disk ${visible(hint.disk, 40)} is behind a RAID controller. The kit needs its driver to see the disk.`;
    case "unlock":
      return hint.keyPlace
        ? `Partition ${visible(hint.partition, 40)} is encrypted. Recovery key: ${visible(hint.keyPlace)}.`
        : `Partition ${visible(hint.partition, 40)} is encrypted. Recovery key location not recorded.`;
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
      return "no end of support set";
    case "ended":
      return `support ended on ${dateText((end as { date: string }).date)}`;
    case "supported":
      return `supported until ${end ? dateText(end.date) : "open end"}`;
    case "extended":
      return `past its plain support; ${end ? `${endName(end.name)} until ${dateText(end.date)}` : "extended"}`;
  }
}
