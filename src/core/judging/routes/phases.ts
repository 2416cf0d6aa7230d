import { SET_UP_SETTINGS } from "../model/changes";
import { type Change, LINK_NAMES, type LinkName, type Links } from "../model/schema";
import type { Outcome } from "./outcome";

/** When a change is made: before the medium starts, after what was given back, put back at the end; or it stays as it is. */
export const PHASES = ["before-start", "after-restore", "put-back", "stays"] as const;
export type Phase = (typeof PHASES)[number];

export interface PhasedChange extends Change {
  link: LinkName;
  phase: Phase;
}

/**
 * The order in which changes are made: what is fetched and attached, then settings as firmware lets them be changed (Secure
 * Boot goes off before legacy mode comes on), then what is done once the medium runs. Putting back goes the other way.
 */
const ORDER: readonly Change["setting"][] = [
  ...(["drill", "verification", "place", "release", "attachAs", "opticalDrive", "usbPort", "keyboard"] as const),
  ...(["secureBoot", "legacyMode", "storageMode", "usbStart", "fastBoot", "startOrder"] as const),
  ...(["driver", "store", "target"] as const),
];
/** All changes of a route by when they are made. A setting that is changed is put back, or stays where the outcome needs it. */
export function phasedChanges({ links, outcome }: { links: Links; outcome: Outcome | null }): PhasedChange[] {
  const all = LINK_NAMES.flatMap((link) => links[link].changes.map((change) => ({ ...change, link })));
  const before = inOrder(all.filter((change) => !isAfterRestore(change)));
  const after = inOrder(all.filter(isAfterRestore));
  const settings = before.filter(({ setting }) => SET_UP_SETTINGS.includes(setting));
  const staying = settings.filter((change) => stays(change, settings, after, outcome));
  const back = settings.filter((change) => !staying.includes(change));
  return [
    ...before.map((change) => ({ ...change, phase: "before-start" as const })),
    ...after.map((change) => ({ ...change, phase: "after-restore" as const })),
    ...back
      .reverse()
      .map(({ setting, from, to, link }) => ({ ...{ setting, from: to, to: from, link }, phase: "put-back" as const })),
    ...staying.map((change) => ({ ...change, phase: "stays" as const })),
  ];
}

type LinkedChange = Change & { link: LinkName };

/** What Restores asks of the firmware is for the system that was given back: the medium starts in its own mode. */
const isAfterRestore = ({ link, setting }: LinkedChange) => link === "restores" && SET_UP_SETTINGS.includes(setting);

function inOrder(changes: LinkedChange[]): LinkedChange[] {
  return [...changes].sort((a, b) => ORDER.indexOf(a.setting) - ORDER.indexOf(b.setting));
}

function stays(
  change: Change,
  settings: readonly Change[],
  after: readonly Change[],
  outcome: Outcome | null,
): boolean {
  const isNew = outcome?.kind === "reinstall" || outcome?.kind === "factory";
  switch (change.setting) {
    case "legacyMode":
      // A new installation starts as it was made; an image in the mode in which it was taken.
      return isNew || (outcome?.kind === "image" && outcome.image?.mode === modeWith(change));
    case "storageMode":
      // The system's own driver for the controller is that of the mode in which it was installed.
      return isNew;
    case "secureBoot": {
      // Firmware in legacy mode has no Secure Boot.
      const legacy = settings.find(({ setting }) => setting === "legacyMode");
      const endsInLegacy =
        (legacy?.to === "on" && stays(legacy, settings, after, outcome)) ||
        after.some(({ setting, to }) => setting === "legacyMode" && to === "on");
      return endsInLegacy;
    }
    default:
      return false;
  }
}

const modeWith = ({ to }: Change) => (to === "on" ? "bios" : "uefi");
