import type { Range } from "../images/forecast";
import type { OutcomeKind } from "../judging/routes/outcome";
import { durationText } from "../words/images";
import { binaryText, bytesText } from "../words/sizes";
import {
  attach,
  blackScreen,
  detach,
  fetchMedium,
  look,
  power,
  putBack,
  type RunSheetInput,
  type Step,
  settings,
  start,
  takeOut,
  unlock,
  writeDown,
} from "./run-sheet";

/** What a guided run sheet is made from: a run sheet, and what is given back. */
export interface CalloutInput extends RunSheetInput {
  outcome: OutcomeKind;
  release: string | null;
  image: { name: string; takenAt: string; places: string[]; keyPlace: string | null } | null;
  /** The disk that is written to. */
  target: { name: string; bytes: number; model: string | null; serial: string | null } | null;
  /** Drivers to load, as the chain says: "nlstor.inf from Lantern 12". */
  drivers: string[];
  /** Seconds that the giving back itself takes. */
  seconds: Range | null;
}

/** A step with what to do where it fails. */
export interface GuidedStep extends Step {
  branches: { when: string; checks: string[] }[];
}

/** The steps of a call-out in their order, each with its branches. Source: the field guide's "On the day"; common practice. */
export function calloutSteps(input: CalloutInput): GuidedStep[] {
  const steps: Step[] = [
    fetchMedium(input),
    ...fetchStore(input),
    power(input),
    detach(input),
    ...settings(input),
    attach(input),
    start(input),
    ...blackScreen(),
    noFormat(),
    ...loadDrivers(input),
    look(input),
    ...unlock(input),
    ...attachStore(input),
    ...giveBack(input),
    takeOut(input),
    putBack(input)[0] as Step,
    ...afterwards(input),
    writeDown(input),
  ];
  return steps.map((step) => ({ ...step, branches: branchesOf(step.key, input) }));
}

function fetchStore({ image, medium }: CalloutInput): Step[] {
  const others = image?.places.filter((place) => place !== medium.tag) ?? [];
  if (!image || image.places.includes(medium.tag) || others.length === 0) return [];
  return [
    {
      key: "fetch-store",
      act: `Fetch where the image ${image.name} is: ${others[0]}.`,
      details: others.length > 1 ? [`It is also on ${others.slice(1).join(", ")}.`] : [],
    },
  ];
}

function noFormat(): Step {
  return {
    key: "no-format",
    act: "If it offers to format a disk or a medium: no.",
    details: ["It only says that it cannot read the layout. Formatting would end what is to be saved."],
    warning: true,
  };
}

function loadDrivers({ drivers }: CalloutInput): Step[] {
  if (drivers.length === 0) return [];
  return [
    {
      key: "drivers",
      act: `Load ${drivers.length === 1 ? "the driver" : "the drivers"}: ${drivers.join("; ")}.`,
      details: ["On a medium that Creel made they are in its folder CREEL/drivers."],
    },
  ];
}

function attachStore({ image, medium }: CalloutInput): Step[] {
  if (!image || image.places.includes(medium.tag)) return [];
  return [
    {
      key: "attach-store",
      act: `Attach ${image.places[0] ?? "the store"} now, and wait until it is seen.`,
      details: ["A share is reached by the network: the name of the server and who may read it have to be at hand."],
    },
  ];
}

function targetText(target: CalloutInput["target"]): string {
  if (!target) return "the disk: which one is not recorded, so compare it with the computer's papers";
  const { name, bytes, model, serial } = target;
  return [`${name}, ${bytesText(bytes)} (shows as ${binaryText(bytes)})`, model, serial && `serial ${serial}`]
    .filter(Boolean)
    .join(", ");
}

function giveBack(input: CalloutInput): Step[] {
  const { outcome, image, release, target, seconds } = input;
  const time = seconds ? [`It takes ${durationText(seconds)}. Leave it alone meanwhile.`] : [];
  const key = image?.keyPlace ? [`The image is encrypted; its key is kept ${image.keyPlace}.`] : [];
  const lost = "Everything that is on that disk now is lost. Say its size and serial aloud before you begin.";
  switch (outcome) {
    case "image":
      return [
        {
          key: "choose-image",
          act: `Choose the image ${image?.name ?? "of this computer"}.`,
          details: [
            ...(image ? [`Taken ${image.takenAt.slice(0, 10)}: what was made since then is not in it.`] : []),
            ...key,
          ],
        },
        { key: "choose-target", act: `Choose the target: ${targetText(target)}.`, details: [lost], warning: true },
        { key: "begin", act: "Begin to put it back.", details: time },
      ];
    case "reinstall":
    case "factory":
      return [
        { key: "choose-target", act: `Choose the target: ${targetText(target)}.`, details: [lost], warning: true },
        {
          key: "begin",
          act: `Install from ${release ?? "the medium"}.`,
          details: ["Same system, edition and language as the licence covers.", ...time],
        },
      ];
    case "start-up":
      return [
        {
          key: "begin",
          act: "Let it repair the start-up.",
          details: ["Nothing of the content is touched. It may have to be run twice.", ...time],
        },
      ];
    case "files":
      return [
        {
          key: "begin",
          act: "Copy the files to another disk: the folders of people first, then what programs keep.",
          details: ["Copy, do not move. Never onto the disk that they are on.", ...time],
        },
      ];
  }
}

function afterwards({ outcome }: CalloutInput): Step[] {
  if (outcome === "files") return [];
  const steps: Step[] = [
    { key: "applications", act: "Check that what people work with starts: each application once.", details: [] },
  ];
  if (outcome !== "start-up")
    steps.unshift({
      key: "updates",
      act: "Take in updates and drivers.",
      details: ["Then a new image is due: it is as good as it will be."],
    });
  return steps;
}

/** What to look at where a step fails, the likeliest for this very computer first. Common practice. */
function branchesOf(key: string, { computer, as, starts, image, outcome }: CalloutInput): GuidedStep["branches"] {
  const { firmware } = computer.facts;
  if (key === "start") {
    const ranked: [number, string][] = [
      [
        firmware.fastBoot === "on" ? 9 : firmware.fastBoot === null ? 5 : 1,
        "Switch fast boot off in set-up: it may leave out what is attached by USB.",
      ],
      [
        as === "usb" && firmware.usbStart === "off" ? 10 : as === "usb" && firmware.usbStart === null ? 4 : 1,
        "Allow starting from USB in set-up.",
      ],
      [as === "usb" ? 6 : 0, "Another port, straight on the computer, best one of USB 2."],
      [
        firmware.secureBoot?.state === "on" && starts.verdict !== "holds" ? 8 : 2,
        "Secure Boot may refuse its loader: see whether a message flashes up.",
      ],
      [
        firmware.legacyMode === "on" || firmware.legacyMode === null ? 3 : 1,
        "Look whether the other mode, UEFI or BIOS, has an entry for it.",
      ],
      [2, "Start the medium on another computer: it may have failed."],
    ];
    const checks = ranked.filter(([weight]) => weight > 0).sort(([a], [b]) => b - a);
    return [{ when: "It is not in the start menu", checks: checks.map(([, text]) => text) }];
  }
  if (key === "look")
    return [
      {
        when: "A disk is missing",
        checks: [
          "Its controller may be set to RAID: the run sheet's settings say what is needed.",
          "Load the driver for its controller, if there is one on the medium.",
          "Shut down and seat its cable or the module itself anew.",
          "Look for it in set-up: what the firmware does not see has failed.",
        ],
      },
    ];
  if (key === "choose-image" && image)
    return [
      {
        when: "The image is not listed",
        checks: [
          "Attach the store again and look for its files.",
          "The environment may be older than the image.",
          `Take another copy of it${image.places.length > 1 ? `: ${image.places.slice(1).join(", ")}` : ""}.`,
        ],
      },
    ];
  if (key === "begin" && outcome === "image")
    return [
      {
        when: "It breaks off",
        checks: [
          "Read the log's last lines and write them down.",
          "Check the image: a damaged one is put back to the same point each time.",
          "Take the image before it.",
          "The target may be failing: look at its own report of errors.",
        ],
      },
    ];
  if (key === "put-back")
    return [
      {
        when: "It does not start from its disk",
        checks: [
          "Is the medium out, and is the disk first in the start order?",
          "Under BIOS: is the system partition active?",
          "Same mode, UEFI or BIOS, as when the image was taken?",
          "Let the environment repair the start-up.",
        ],
      },
    ];
  return [];
}
