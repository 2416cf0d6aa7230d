import { type KeyCard, type StartKey, startKeys } from "../computer/facts/key-cards";
import type { DiskFacts, Facts } from "../computer/facts/schema";
import { SET_UP_SETTINGS } from "../judging/model/changes";
import type { Change, Link } from "../judging/model/schema";
import type { Attachment } from "../medium/inspection/schema";
import type { SheetDisk, SheetMediumKind, Step } from "./step";

/** What a run sheet is made from: one computer, one medium, and how it starts there. */
export interface RunSheetInput {
  computer: { tag: string; name: string | null; siteName: string | null; facts: Facts };
  medium: {
    tag: string;
    name: string | null;
    kind: SheetMediumKind;
    siteName: string | null;
    lentTo: string | null;
    loads: string[];
  };
  as: Attachment;
  starts: Pick<Link, "verdict" | "changes" | "reasons">;
  /** What is known of its model's keys, or null. */
  keyCard: KeyCard | null;
}

/** The steps in the order of the day. Common practice throughout. */
export function runSheetSteps(input: RunSheetInput): Step[] {
  return [
    fetchMedium(input),
    power(input),
    detach(input),
    ...settings(input),
    attach(input),
    start(input),
    { code: "black-screen" },
    look(input),
    ...unlock(input),
    { code: "erased", hasOtherDisks: internalDisks(input).length > 1 },
    takeOut(input),
    putBack(input),
    writeDown(input),
  ];
}

/** Where the medium is: with its borrower before its place, since whoever borrowed it has it in hand. */
export function fetchMedium({ medium, computer }: RunSheetInput): Step {
  const { tag, name, kind, loads, lentTo, siteName: site } = medium;
  const isWhereComputerIs = site !== null && site === computer.siteName;
  return { code: "fetch", medium: { tag, name, kind, loads }, lentTo, site, isWhereComputerIs };
}

/** A rescue takes longer than a worn battery lasts: portable computers go on mains first. Common practice. */
export function power({ computer }: RunSheetInput): Step {
  const { form } = computer.facts.computer;
  return { code: "power", isPortable: form === "laptop" || form === "tablet" };
}

/** Everything else that could start is taken off, so that firmware can choose nothing but this medium. */
export function detach({ as }: RunSheetInput): Step {
  return { code: "detach", as };
}

function keysOf({ computer, keyCard }: RunSheetInput): Record<"setup" | "startMenu" | "save", StartKey> {
  const { firmware, computer: own } = computer.facts;
  return startKeys(firmware.keys, keyCard, own.form);
}

function settingChanges({ starts }: RunSheetInput): Change[] {
  return starts.changes.filter(({ setting }) => SET_UP_SETTINGS.includes(setting));
}

/** Settings that have to change before the start, in the order of the judgement; no step where none has to. */
export function settings(input: RunSheetInput): Step[] {
  const changes = settingChanges(input);
  const { setup, save } = keysOf(input);
  return changes.length === 0 ? [] : [{ code: "settings", setupKey: setup, saveKey: save, changes }];
}

/** How the medium is put in; where a drive has to be borrowed for it, the step says so. */
export function attach({ medium, as, starts }: RunSheetInput): Step {
  const isDriveExternal = starts.changes.some(({ setting }) => setting === "opticalDrive");
  return { code: "attach", medium: medium.tag, as, isDriveExternal };
}

/** The start itself. Without a reason that tells the path, all reasons of the judgement are kept for whoever looks. */
export function start(input: RunSheetInput): Step {
  const { computer, medium, starts, keyCard } = input;
  const { kind, legacyMode } = computer.facts.firmware;
  const isSwitched = starts.changes.some(({ setting }) => setting === "legacyMode");
  const how = starts.reasons.find(({ code }) => code === "uefi-starts" || code === "bios-starts");
  return {
    code: "start",
    medium: medium.tag,
    menuKey: keysOf(input).startMenu,
    isBios: kind === "bios" || (legacyMode === "on") !== isSwitched,
    reasons: how ? [how] : starts.reasons,
    quirks: keyCard?.quirks ?? null,
  };
}

function internalDisks({ computer }: RunSheetInput): DiskFacts[] {
  return (computer.facts.disks ?? []).filter((disk) => disk.removable !== true);
}

/** Which disks must be seen before anything is written: size and serial tell them apart, their order does not. */
export function look(input: RunSheetInput): Step {
  return { code: "look", disks: internalDisks(input).map(sheetDisk) };
}

function sheetDisk({ name, bytes, model, serial }: DiskFacts): SheetDisk {
  return { name, bytes, model, serial };
}

/** Encrypted content is of no use without its key: where it is kept is on the sheet, the key never is. */
export function unlock(input: RunSheetInput): Step[] {
  const locked = internalDisks(input).flatMap(({ name, partitions }) =>
    partitions
      .filter(({ encryption }) => encryption !== null)
      .map(({ number, keyPlace }) => ({ partition: `${name} ${number}`, keyPlace })),
  );
  return locked.length === 0 ? [] : [{ code: "unlock", locked }];
}

/** The medium out again before the computer starts by itself, or it starts the medium once more. */
export function takeOut({ medium }: RunSheetInput): Step {
  return { code: "take-out", medium: medium.tag };
}

/** The settings as they were. */
export function putBack(input: RunSheetInput): Step {
  const { computer, medium } = input;
  return {
    code: "put-back",
    medium: medium.tag,
    site: medium.siteName,
    setupKey: keysOf(input).setup,
    changes: settingChanges(input).map((change) => ({ ...change, from: change.to, to: change.from })),
    isBios: computer.facts.firmware.kind === "bios",
  };
}

/** What was done and how it went: the drill or the call-out that the next judgement stands on. */
export function writeDown({ computer }: RunSheetInput): Step {
  return { code: "write-down", computer: computer.tag };
}
