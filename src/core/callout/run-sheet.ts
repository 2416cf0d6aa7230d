import { type KeyCard, type StartKey, startKeys } from "../computer/facts/key-cards";
import { roleOf } from "../computer/facts/roles";
import type { DiskFacts, Facts } from "../computer/facts/schema";
import { internalDisks as builtIn } from "../computer/needs/system-disk";
import { SET_UP_SETTINGS, switchedMode } from "../judging/model/changes";
import { CARRIED_DISK, type ImagePlace } from "../judging/model/parts";
import { type Change, type Link, type Links, ofEachLink } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import { type Phase, type PhasedChange, phasedChanges } from "../judging/routes/phases";
import type { Attachment } from "../medium/inspection/schema";
import type { Happening } from "./happenings";
import type { SetupPassword, SheetDisk, SheetMediumKind, SheetMore, Step } from "./step";
import type { Times } from "./times";

/** What a run sheet is made from: one computer, one medium, how it starts there, and all that is changed for it. */
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
  /** The changes of all links by when they are made; not given: those of the start alone. */
  changes?: PhasedChange[] | undefined;
  /** What is known of its model's keys, or null. */
  keyCard: KeyCard | null;
  /** What is given back; null: the sheet is for whatever the medium does. */
  gives?: Gives | null;
}

/** What is given back on the computer, and how. */
export interface Gives {
  outcome: OutcomeKind;
  release: string | null;
  image: { name: string; takenAt: string; places: ImagePlace[]; keyPlace: string | null } | null;
  /** The disk that is written to. */
  target: SheetDisk | null;
  /** Of an image of several disks: what comes of each further one. */
  more?: SheetMore[];
  /** It was told to take the place of the old one. */
  isTargetNew?: boolean;
  /** The disk in whose place it is put, while it can still be read. */
  oldDisk?: SheetDisk | null;
  /** Drivers to load, as the chain says: "nlstor.inf from Lantern 12". */
  drivers: string[];
  /** How long it takes, part by part; null: nothing is told. */
  times: Pick<Times, "fetching" | "starting" | "restoring" | "finishing"> | null;
  happening?: Happening | null;
  /** How old the image is, in days. */
  imageDays?: number | null;
  /** The image is of another computer. */
  isImageOfAnother?: boolean;
}

/** The steps in the order of the day: one list, of a printed sheet and of a call-out. Common practice throughout. */
export function sheetSteps(input: RunSheetInput): Step[] {
  const gives = input.gives ?? null;
  return [
    ...(gives?.happening === "malware" ? [{ code: "off-network" } as const] : []),
    ...(isEntry(input) ? [] : [fetchMedium(input)]),
    ...fetchStore(input),
    ...(gives && savesFiles(gives) ? [{ code: "destination" } as const] : []),
    // Before settings are changed: disk encryption may ask for its key because of them.
    ...unlock(input),
    ...suspend(input),
    ...fitDisk(input),
    power(input),
    detach(input),
    ...disconnectDisks(input),
    ...settings(input),
    ...(isEntry(input) ? [] : [attach(input)]),
    start(input),
    { code: "black-screen" },
    // An installer formats its target.
    ...(gives && !isInstalled(gives.outcome) ? [{ code: "no-format" } as const] : []),
    ...(gives && gives.drivers.length > 0 ? [{ code: "drivers", drivers: gives.drivers } as const] : []),
    look(input),
    ...(gives ? giveBack(input, gives) : [{ code: "erased", hasOtherDisks: internalDisks(input).length > 1 } as const]),
    takeOut(input),
    ...(gives?.outcome === "copy" ? [{ code: "swap-disks" } as const] : []),
    ...oldDisk(input),
    ...settingsAfter(input),
    putBack(input),
    ...(gives ? afterwards(input, gives) : []),
    ...keepOld(gives),
    writeDown(input),
  ];
}

/** Nothing is fetched or put in for an entry on the computer's own disk. */
const isEntry = ({ medium }: RunSheetInput) => medium.kind === "entry";

const isInstalled = (outcome: OutcomeKind) => outcome === "reinstall" || outcome === "factory";
/** Lost files are taken out of an image: the disk is not erased for them. */
const opensImage = ({ outcome, happening }: Gives) =>
  outcome === "image-files" || (outcome === "image" && happening === "files-lost");
const savesFiles = (gives: Gives) => gives.outcome === "files" || opensImage(gives);
const restoresDisk = (outcome: OutcomeKind) => outcome === "image" || outcome === "copy" || isInstalled(outcome);
const writesDisk = (gives: Gives) => restoresDisk(gives.outcome) && !opensImage(gives);

function phased({ changes, starts }: RunSheetInput): PhasedChange[] {
  return changes ?? phasedChanges({ links: startAlone(starts), outcome: null });
}

function startAlone({ verdict, changes, reasons }: RunSheetInput["starts"]): Links {
  const link = (own: Change[]): Link => ({ verdict, basis: null, changes: own, reasons, trace: [] });
  return ofEachLink((name) => link(name === "starts" ? changes : []));
}

function changesIn(input: RunSheetInput, phase: Phase): PhasedChange[] {
  return phased(input).filter((change) => change.phase === phase);
}

/** Whether the image has to come from elsewhere than the medium itself. */
function neededPlaces({ gives, medium }: RunSheetInput): ImagePlace[] {
  const places = gives?.image?.places ?? [];
  return places.some((place) => place.on === "medium" && place.tag === medium.tag) ? [] : places;
}

/** The copies that are of use, the likeliest first: one on the dead computer is not fetched from it. */
function usablePlaces(input: RunSheetInput): ImagePlace[] {
  const { gives } = input;
  const store = phased(input).find(({ setting, phase }) => setting === "store" && phase === "before-start");
  const isOwn = (place: ImagePlace) => isOwnPlace(place, input);
  const rank = (place: ImagePlace) => (isOwn(place) ? 2 : store && nameOf(place) === store.to ? 0 : 1);
  const places = neededPlaces(input).filter((place) => !isOwn(place) || gives?.happening !== "disk-gone");
  return [...places].sort((a, b) => rank(a) - rank(b));
}

const isOwnPlace = (place: ImagePlace, { computer }: RunSheetInput) =>
  place.on === "computer" && place.tag === computer.tag;

const nameOf = (place: ImagePlace): string =>
  place.on === "medium" ? place.tag : place.on === "computer" ? CARRIED_DISK : place.name;

function fetchStore(input: RunSheetInput): Step[] {
  const places = usablePlaces(input).filter((place) => place.on !== "computer" || place.tag !== input.computer.tag);
  const { gives } = input;
  return gives?.image && places.length > 0 ? [{ code: "fetch-store", image: gives.image.name, places }] : [];
}

function attachStore(input: RunSheetInput): Step[] {
  if (!input.gives?.image || neededPlaces(input).length === 0) return [];
  const [place = null, ...others] = usablePlaces(input);
  const next = place?.part ? others.filter(({ part }) => part && part.number !== place.part?.number) : [];
  return [{ code: "attach-store", place, ...(next.length > 0 ? { next } : {}) }];
}

/** A new disk is fitted while the computer is off and without mains. */
function fitDisk({ gives, keyCard }: RunSheetInput): Step[] {
  if (!gives?.isTargetNew || !gives.target) return [];
  return [
    { code: "fit-disk", disk: gives.target, isBeside: gives.outcome === "copy", fitting: keyCard?.diskFit ?? null },
  ];
}

/** What is not the target is taken off before anything could be written to it. */
function disconnectDisks(input: RunSheetInput): Step[] {
  const { gives } = input;
  const target = gives && (writesDisk(gives) || gives.outcome === "system") ? gives.target : null;
  if (!gives || !target) return [];
  const written = [target, ...writtenBeside(gives)];
  const others = internalDisks(input).filter(({ name }) => written.every((each) => each.name !== name));
  // A copy on another disk in the computer is needed.
  const isStore = neededPlaces(input).some((place) => place.on === "computer" && place.tag === input.computer.tag);
  return others.length === 0 || isStore
    ? []
    : [{ code: "disconnect-disks", keep: [...sourceOf(gives), ...written], others: others.map(sheetDisk) }];
}

/** Disks beside the target that an image of several is written to. */
const writtenBeside = ({ more }: Gives) =>
  (more ?? []).flatMap(({ state, disk }) => (state === "placed" && disk ? [disk] : []));

/** The disk that is copied. */
const sourceOf = ({ outcome, oldDisk }: Gives): SheetDisk[] => (outcome === "copy" && oldDisk ? [oldDisk] : []);

function giveBack(input: RunSheetInput, gives: Gives): Step[] {
  const { outcome, image, release, target } = gives;
  const seconds = gives.times?.restoring ?? null;
  const begin: Step = { code: "begin", outcome, release, seconds };
  const shown = image && { name: image.name, takenAt: image.takenAt, keyPlace: image.keyPlace };
  const more = gives.more?.length ? { more: gives.more } : {};
  const choose: Step = { code: "choose-target", target, isOther: targetChange(input), ...more };
  if (opensImage(gives) && shown) {
    const toOther = outcome === "image-files";
    return [...attachStore(input), { code: "open-image", image: shown, toOther }, { ...begin, outcome: "files" }];
  }
  switch (outcome) {
    case "image":
      return [...attachStore(input), { code: "choose-image", image: shown }, choose, begin];
    case "reinstall":
    case "factory":
      return [choose, begin];
    case "copy":
      return [{ code: "choose-source", disk: gives.oldDisk ?? null }, choose, begin];
    case "system":
      return [...attachStore(input), { code: "choose-image", image: shown }, choosePartition(input, gives), begin];
    case "start-up":
      return [begin];
    case "partitions":
      return [{ code: "save-table" }, begin];
    case "image-files":
    case "files":
      return [
        ...(gives.happening === "does-not-start" ? [{ code: "copy-sectors" } as const] : []),
        { code: "read-only" },
        begin,
      ];
  }
}

/** Only the system partition is written over: the others are named, so that none of them is chosen. */
function choosePartition({ computer }: RunSheetInput, { target }: Gives): Step {
  const disk = computer.facts.disks?.find(({ name }) => name === target?.name);
  const shown = (disk?.partitions ?? []).map((each) => ({
    ...{ number: each.number, label: each.label ?? null, bytes: each.bytes },
    isTarget: roleOf(each) === "system",
  }));
  return { code: "choose-partition", disk: target, partitions: shown };
}

/** An old disk or computer is the only other copy until the new one has shown that it does. Common practice. */
const KEPT_DAYS = 30;

function keepOld(gives: Gives | null): Step[] {
  if (gives?.happening === "new-computer") return [{ code: "keep-old", what: "computer", days: KEPT_DAYS }];
  const isReplaced = gives?.isTargetNew && gives.happening === "new-disk";
  return isReplaced ? [{ code: "keep-old", what: "disk", days: KEPT_DAYS }] : [];
}

/** Partitions come back as large as they were: the rest of a larger disk is of no use until one is made larger. */
function grow({ outcome, target, oldDisk }: Gives): Step[] {
  const bytes = (target?.bytes ?? 0) - (oldDisk?.bytes ?? 0);
  if ((outcome !== "image" && outcome !== "copy") || !oldDisk || !target || bytes < GROWN_LEAST * target.bytes)
    return [];
  return [{ code: "grow", disk: target.name, bytes }];
}

/** Less of a disk than this is not worth a step. */
const GROWN_LEAST = 0.05;

const targetChange = (input: RunSheetInput) => phased(input).some(({ setting }) => setting === "target");

/** What the given-back system needs of the firmware, where the medium needed the other setting. */
function settingsAfter(input: RunSheetInput): Step[] {
  // Nothing is put back where files are only taken out of an image.
  if (input.gives && opensImage(input.gives)) return [];
  const changes = changesIn(input, "after-restore").map(plainChange);
  const { setup, save } = keysOf(input);
  const password = setupPassword(input);
  return changes.length === 0 ? [] : [{ code: "settings-after", setupKey: setup, saveKey: save, changes, password }];
}

const plainChange = ({ setting, from, to }: PhasedChange): Change => ({ setting, from, to });

/** A computer's own password in a domain is changed every so many days; an older image has the one before. Common practice. */
const DOMAIN_DAYS = 30;

function afterwards(input: RunSheetInput, gives: Gives): Step[] {
  const passwords: Step[] = gives.happening === "malware" ? [{ code: "passwords" }] : [];
  if (savesFiles(gives)) return passwords;
  const checked: Step = { code: "applications" };
  if (gives.outcome === "start-up" || gives.outcome === "partitions") return [checked];
  if (gives.outcome === "copy") return [...startEntry(input, gives), ...grow(gives), checked];
  return [
    ...startEntry(input, gives),
    ...grow(gives),
    ...rejoin(input, gives),
    ...encryptAgain(input, gives),
    ...activate(input, gives),
    { code: "updates", seconds: gives.times?.finishing ?? null },
    ...passwords,
    checked,
  ];
}

/** Firmware keeps start entries itself: new hardware has none for what was put back. UEFI 2.10, 3.1.1 and 3.5.1.1. */
function startEntry(input: RunSheetInput, { outcome, isTargetNew, isImageOfAnother }: Gives): Step[] {
  const { firmware } = input.computer.facts;
  const isMoved = outcome === "copy" || (outcome === "image" && (isTargetNew || isImageOfAnother));
  return isMoved && firmware.kind === "uefi" && firmware.legacyMode !== "on"
    ? [{ code: "start-entry", arch: firmware.arch }]
    : [];
}

function rejoin({ computer }: RunSheetInput, { outcome, imageDays }: Gives): Step[] {
  const isWindows = computer.facts.systems?.some(({ family }) => family?.toLowerCase() === "windows") ?? false;
  return (outcome === "image" || outcome === "system") && isWindows && (imageDays ?? 0) > DOMAIN_DAYS
    ? [{ code: "rejoin", days: imageDays ?? 0 }]
    : [];
}

/** What is put back plain onto a disk that was encrypted stays plain until somebody sees to it. */
function encryptAgain({ computer }: RunSheetInput, { target }: Gives): Step[] {
  const disk = computer.facts.disks?.find(({ name }) => name === target?.name);
  const wasEncrypted = disk?.partitions.some(({ encryption }) => encryption !== null) ?? false;
  return disk && wasEncrypted ? [{ code: "encrypt-again", disk: disk.name }] : [];
}

/** Where the medium is: with its borrower before its place, since whoever borrowed it has it in hand. */
function fetchMedium(input: RunSheetInput): Step {
  const { medium, computer } = input;
  const { tag, name, kind, loads, lentTo, siteName: site } = medium;
  const instead = changesIn(input, "before-start").find(({ setting }) => setting === "release")?.to ?? null;
  const isWhereComputerIs = site !== null && site === computer.siteName;
  const seconds = input.gives?.times?.fetching ?? null;
  return { code: "fetch", medium: { tag, name, kind, loads }, lentTo, site, isWhereComputerIs, instead, seconds };
}

/** A rescue takes longer than a worn battery lasts: portable computers go on mains first. Common practice. */
function power({ computer }: RunSheetInput): Step {
  const { form } = computer.facts.computer;
  return { code: "power", isPortable: form === "laptop" || form === "tablet" };
}

/** Everything else that could start is taken off, so that firmware can choose nothing but this medium. */
function detach({ as }: RunSheetInput): Step {
  return { code: "detach", as };
}

function keysOf({ computer, keyCard }: RunSheetInput): Record<"setup" | "startMenu" | "save", StartKey> {
  const { firmware, computer: own } = computer.facts;
  return startKeys(firmware.keys, keyCard, own.form);
}

/** Settings that have to change before the start, in the order in which firmware lets them; no step where none has to. */
function settings(input: RunSheetInput): Step[] {
  const changes = changesIn(input, "before-start")
    .filter(({ setting }) => SET_UP_SETTINGS.includes(setting))
    .map(plainChange);
  const { setup, save } = keysOf(input);
  const password = setupPassword(input);
  return changes.length === 0 ? [] : [{ code: "settings", setupKey: setup, saveKey: save, changes, password }];
}

function setupPassword({ computer }: RunSheetInput): SetupPassword | null {
  const { setupPassword: state, setupPasswordPlace: place } = computer.facts.firmware;
  return state === "set" ? { place } : null;
}

/** What is attached beside the medium, or it through. */
const ATTACHED: ReadonlySet<Change["setting"]> = new Set(["usbPort", "keyboard"]);

/** How the medium is put in; where a drive has to be borrowed for it, the step says so. */
function attach(input: RunSheetInput): Step {
  const { medium, as } = input;
  const changes = changesIn(input, "before-start");
  return {
    ...{ code: "attach", medium: medium.tag, as },
    isDriveExternal: changes.some(({ setting }) => setting === "opticalDrive"),
    changes: changes.filter(({ setting }) => ATTACHED.has(setting)).map(plainChange),
    ...{ ports: portsNeeded(input), needsAdapter: hasUsbCAlone(input) },
  };
}

/** What is on USB at the same time: the medium, a disk beside it, and a keyboard where none is built in. Common practice. */
function portsNeeded(input: RunSheetInput): Extract<Step, { code: "attach" }>["ports"] {
  const { computer, medium, as, gives } = input;
  const has = computer.facts.ports?.usb ?? null;
  const before = changesIn(input, "before-start").map(({ setting }) => setting);
  const isOnUsb = as === "usb" || before.includes("opticalDrive");
  const [store] = gives?.image ? usablePlaces(input) : [];
  const isStoreOnUsb = store !== undefined && store.on !== "share" && !isOwnPlace(store, input);
  const { form } = computer.facts.computer;
  const hasKeyboard = (form === "laptop" || form === "tablet") && !before.includes("keyboard");
  const needed = [
    ...(isOnUsb ? [medium.tag] : []),
    ...(isStoreOnUsb ? [nameOf(store)] : []),
    ...(gives && savesFiles(gives) && gives.happening !== "files-lost" ? ["the disk for the files"] : []),
    ...(hasKeyboard || form === null ? [] : ["a keyboard"]),
  ];
  return has === null || has === 0 || needed.length <= has ? null : { needed, has };
}

function hasUsbCAlone({ computer, as }: RunSheetInput): boolean {
  const { usb = null, usbC = null } = computer.facts.ports ?? {};
  return as === "usb" && usbC !== null && usbC > 0 && usb === usbC;
}

/** The start itself. Without a reason that tells the path, all reasons of the judgement are kept for whoever looks. */
function start(input: RunSheetInput): Step {
  const { computer, medium, starts, keyCard } = input;
  const { kind, legacyMode } = computer.facts.firmware;
  const switched = switchedMode(starts.changes);
  const how = starts.reasons.find(({ code }) => code === "uefi-starts" || code === "bios-starts");
  return {
    code: "start",
    ...{ medium: medium.tag, isEntry: isEntry(input), seconds: input.gives?.times?.starting ?? null },
    menuKey: keysOf(input).startMenu,
    isBios: kind === "bios" || (switched === null ? legacyMode === "on" : switched === "bios"),
    isTablet: computer.facts.computer.form === "tablet",
    management: computer.facts.ports?.management ?? null,
    reasons: how ? [how] : starts.reasons,
    quirks: keyCard?.quirks ?? null,
  };
}

function internalDisks({ computer }: RunSheetInput): DiskFacts[] {
  return builtIn(computer.facts);
}

/** Which disks must be seen before anything is written: size and serial tell them apart, their order does not. */
function look(input: RunSheetInput): Step {
  const { gives } = input;
  // The others are disconnected.
  if (gives?.target && (sourceOf(gives).length > 0 || disconnectDisks(input).length > 0))
    return { code: "look", disks: [...sourceOf(gives), gives.target] };
  return { code: "look", disks: internalDisks(input).map(sheetDisk) };
}

/** What tells a disk apart. */
export function sheetDisk({ name, bytes, model, serial }: DiskFacts): SheetDisk {
  return { name, bytes, model, serial };
}

/** Encrypted content is of no use without its key: where it is kept is on the sheet, the key never is. */
function unlock(input: RunSheetInput): Step[] {
  const locked = lockedVolumes(input);
  return locked.length === 0 ? [] : [{ code: "unlock", locked }];
}

function lockedVolumes(input: RunSheetInput): { partition: string; keyPlace: string | null }[] {
  const { gives } = input;
  // What is installed anew, or put back whole, needs no key of what was there; a changed setting may ask for it.
  const erased = gives && writesDisk(gives) ? [gives.target, ...writtenBeside(gives)].map((disk) => disk?.name) : [];
  const kept = internalDisks(input).filter(({ name }) => !erased.includes(name));
  return kept.flatMap(({ name, partitions }) =>
    partitions
      .filter(({ encryption }) => encryption !== null)
      .map(({ number, keyPlace }) => ({ partition: `${name} ${number}`, keyPlace })),
  );
}

/** Happenings in which the computer still runs, so that it can be prepared. */
const STILL_RUNS: readonly (Happening | null | undefined)[] = ["files-lost", "new-disk", "new-computer"];

/**
 * Encryption whose key is sealed to how the computer starts asks for the recovery key once Secure Boot or the start is
 * changed, unless it is suspended before. TCG PC Client Platform Firmware Profile, PCR 7.
 */
function suspend(input: RunSheetInput): Step[] {
  const { gives } = input;
  if (!gives || !STILL_RUNS.includes(gives.happening) || settings(input).length === 0) return [];
  const volumes = lockedVolumes(input).map(({ partition }) => partition);
  return volumes.length === 0 ? [] : [{ code: "suspend", volumes }];
}

/** The original and its copy bear the same identities: which of them starts would be chance. Common practice. */
function oldDisk(input: RunSheetInput): Step[] {
  const { gives } = input;
  if (!gives || (gives.outcome !== "image" && gives.outcome !== "copy") || opensImage(gives)) return [];
  const isNew = gives.isTargetNew === true;
  return isNew || targetChange(input) ? [{ code: "old-disk", isNew }] : [];
}

/** A licence that is bound to the hardware is activated anew on another computer. Common practice. */
function activate({ computer }: RunSheetInput, { outcome, isImageOfAnother, happening }: Gives): Step[] {
  const isOther = (outcome === "image" && isImageOfAnother) || (isInstalled(outcome) && happening === "new-computer");
  if (!isOther) return [];
  const isWindows = computer.facts.systems?.some(({ family }) => family?.toLowerCase() === "windows") ?? false;
  return [{ code: "activate", family: isWindows ? "windows" : null }];
}

/** The medium out again before the computer starts by itself, or it starts the medium once more. */
function takeOut(input: RunSheetInput): Step {
  return { code: "take-out", medium: isEntry(input) ? null : input.medium.tag };
}

/** The settings as they were, in the reverse order, but for those that the given-back system needs. */
function putBack(input: RunSheetInput): Step {
  const { computer, medium, gives } = input;
  const { kind, legacyMode } = computer.facts.firmware;
  const staying = [...changesIn(input, "stays"), ...changesIn(input, "after-restore")];
  const mode = staying.find(({ setting }) => setting === "legacyMode")?.to ?? legacyMode;
  return {
    ...{
      code: "put-back",
      medium: medium.tag,
      site: isEntry(input) ? null : medium.siteName,
      setupKey: keysOf(input).setup,
    },
    password: setupPassword(input),
    changes: changesIn(input, "put-back").map(plainChange),
    stays: changesIn(input, "stays").map(plainChange),
    isBios: kind === "bios" || mode === "on",
    isLeftOff: gives != null && savesFiles(gives) && !RUNS_AFTER.includes(gives.happening),
  };
}

/** What happened to computers that start again by themselves, also where only files were saved. */
const RUNS_AFTER: readonly (Happening | null | undefined)[] = ["files-lost", "new-disk", "new-computer"];

/** What was done and how it went: the drill or the call-out that the next judgement stands on. */
function writeDown({ computer }: RunSheetInput): Step {
  return { code: "write-down", computer: computer.tag };
}
