import type { Range } from "../images/forecast";
import type { ImagePlace } from "../judging/model/parts";
import type { OutcomeKind } from "../judging/routes/outcome";
import {
  attach,
  detach,
  fetchMedium,
  look,
  power,
  putBack,
  type RunSheetInput,
  settings,
  start,
  takeOut,
  unlock,
  writeDown,
} from "./run-sheet";
import type { Branch, Check, GuidedStep, SheetDisk, Step } from "./step";

/** What a guided run sheet is made from: a run sheet, and what is given back. */
export interface CalloutInput extends RunSheetInput {
  outcome: OutcomeKind;
  release: string | null;
  image: { name: string; takenAt: string; places: ImagePlace[]; keyPlace: string | null } | null;
  /** The disk that is written to. */
  target: SheetDisk | null;
  /** Drivers to load, as the chain says: "nlstor.inf from Lantern 12". */
  drivers: string[];
  /** Seconds that the giving back itself takes. */
  seconds: Range | null;
}

/** The steps of a call-out in their order, each with its branches. Common practice. */
export function calloutSteps(input: CalloutInput): GuidedStep[] {
  const steps: Step[] = [
    fetchMedium(input),
    ...fetchStore(input),
    power(input),
    detach(input),
    ...settings(input),
    attach(input),
    start(input),
    { code: "black-screen" },
    { code: "no-format" },
    ...loadDrivers(input),
    look(input),
    ...unlock(input),
    ...attachStore(input),
    ...giveBack(input),
    takeOut(input),
    putBack(input),
    ...afterwards(input),
    writeDown(input),
  ];
  return steps.map((step) => ({ step, branches: branchesOf(step, input) }));
}

function isOn(place: ImagePlace, medium: string): boolean {
  return place.on === "medium" && place.tag === medium;
}

/** Whether the image has to come from elsewhere than the medium itself. */
function needsStore({ image, medium }: CalloutInput): boolean {
  return image !== null && !image.places.some((place) => isOn(place, medium.tag));
}

function fetchStore(input: CalloutInput): Step[] {
  const { image } = input;
  if (!image || !needsStore(input) || image.places.length === 0) return [];
  return [{ code: "fetch-store", image: image.name, places: image.places }];
}

function loadDrivers({ drivers }: CalloutInput): Step[] {
  return drivers.length === 0 ? [] : [{ code: "drivers", drivers }];
}

function attachStore(input: CalloutInput): Step[] {
  return needsStore(input) ? [{ code: "attach-store", place: input.image?.places[0] ?? null }] : [];
}

function giveBack({ outcome, image, release, target, seconds }: CalloutInput): Step[] {
  const begin: Step = { code: "begin", outcome, release, seconds };
  switch (outcome) {
    case "image": {
      const shownImage = image && { name: image.name, takenAt: image.takenAt, keyPlace: image.keyPlace };
      return [{ code: "choose-image", image: shownImage }, { code: "choose-target", target }, begin];
    }
    case "reinstall":
    case "factory":
      return [{ code: "choose-target", target }, begin];
    case "start-up":
    case "files":
      return [begin];
  }
}

function afterwards({ outcome }: CalloutInput): Step[] {
  if (outcome === "files") return [];
  return outcome === "start-up" ? [{ code: "applications" }] : [{ code: "updates" }, { code: "applications" }];
}

/** What to look at where a step fails, the likeliest for this very computer first. Common practice. */
function branchesOf(step: Step, input: CalloutInput): Branch[] {
  const { image, outcome } = input;
  const plain = (...codes: Exclude<Check, { places: unknown }>["code"][]): Check[] => codes.map((code) => ({ code }));
  switch (step.code) {
    case "start":
      return [{ code: "not-in-menu", checks: notInMenu(input) }];
    case "look":
      return [{ code: "disk-missing", checks: plain("raid-mode", "load-driver", "reseat-disk", "disk-in-setup") }];
    case "choose-image": {
      if (!image) return [];
      const other: Check = { code: "other-copy", places: image.places.slice(1) };
      return [{ code: "image-not-listed", checks: [...plain("attach-store-again", "environment-older"), other] }];
    }
    case "begin":
      if (outcome !== "image") return [];
      return [{ code: "breaks-off", checks: plain("read-log", "check-image", "image-before", "target-failing") }];
    case "put-back":
      return [
        { code: "does-not-start", checks: plain("medium-out", "partition-active", "same-mode", "repair-start-up") },
      ];
    default:
      return [];
  }
}

/** Weights are ours: what this computer's facts speak for comes first. */
function notInMenu({ computer, as, starts }: CalloutInput): Check[] {
  const { firmware } = computer.facts;
  const isUsb = as === "usb";
  const weighted = (value: string | null, bad: string, weights: [number, number]) =>
    value === bad ? weights[0] : value === null ? weights[1] : 1;
  const ranked: [number, Check][] = [
    [weighted(firmware.fastBoot, "on", [9, 5]), { code: "fast-boot" }],
    [isUsb ? weighted(firmware.usbStart, "off", [10, 4]) : 1, { code: "usb-start" }],
    [isUsb ? 6 : 0, { code: "other-port" }],
    [firmware.secureBoot?.state === "on" && starts.verdict !== "holds" ? 8 : 2, { code: "secure-boot-message" }],
    [weighted(firmware.legacyMode, "on", [3, 3]), { code: "other-mode" }],
    [2, { code: "other-computer" }],
  ];
  return ranked
    .filter(([weight]) => weight > 0)
    .sort(([a], [b]) => b - a)
    .map(([, check]) => check);
}
