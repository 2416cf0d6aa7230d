import { type Gives, type RunSheetInput, sheetSteps } from "./run-sheet";
import type { Branch, Check, GuidedStep, Step } from "./step";

/** What a guided run sheet is made from: a run sheet, and what is given back. */
export interface CalloutInput extends RunSheetInput {
  gives: Gives;
}

/** The steps of a call-out in their order, each with its branches. Common practice. */
export function calloutSteps(input: CalloutInput): GuidedStep[] {
  return sheetSteps(input).map((step) => ({ step, branches: branchesOf(step, input) }));
}

/** What to look at where a step fails, the likeliest for this very computer first. Common practice. */
function branchesOf(step: Step, input: CalloutInput): Branch[] {
  const { image, outcome } = input.gives;
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
      if (outcome !== "image" && outcome !== "system") return [];
      return [{ code: "breaks-off", checks: plain("read-log", "check-image", "image-before", "target-failing") }];
    case "put-back":
      if (step.isLeftOff) return [];
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
