import { type KeyCard, type KeyName, startKeys } from "../computer/facts/key-cards";
import type { Facts } from "../computer/facts/schema";
import type { Link } from "../judging/model/schema";
import type { Attachment } from "../medium/inspection/schema";
import { changeText, SET_UP_SETTINGS } from "../words/reasons";
import { binaryText, bytesText } from "../words/sizes";
import { visible } from "../words/visible";

/** What a run sheet is made from: one computer, one medium, and how it starts there. */
export interface RunSheetInput {
  computer: { tag: string; name: string | null; siteName: string | null; facts: Facts };
  medium: {
    tag: string;
    name: string | null;
    kindText: string;
    siteName: string | null;
    lentTo: string | null;
    loads: string[];
  };
  as: Attachment;
  starts: Link;
  /** What is known of its model's keys, or null. */
  keyCard: KeyCard | null;
}

export interface Step {
  /** The same for the same step of whatever sheet. */
  key: string;
  /** What to do, in one line. */
  act: string;
  /** What to look for, and why. */
  details: string[];
  /** Something is lost or spoilt where this goes wrong. */
  warning?: boolean;
}

/** The steps in the order of the day. Sources: the field guide's "On the day", common practice throughout. */
export function runSheetSteps(input: RunSheetInput): Step[] {
  return [
    fetchMedium(input),
    power(input),
    detach(input),
    ...settings(input),
    attach(input),
    start(input),
    ...blackScreen(),
    look(input),
    ...unlock(input),
    erased(input),
    takeOut(input),
    ...putBack(input),
    writeDown(input),
  ];
}

export function fetchMedium({ medium, computer }: RunSheetInput): Step {
  const where = medium.lentTo
    ? `It is with ${medium.lentTo}.`
    : medium.siteName
      ? `It is kept at ${medium.siteName}${medium.siteName === computer.siteName ? ", where the computer is" : ""}.`
      : "Where it is kept is not recorded.";
  const what = medium.loads.length > 0 ? ` It carries ${medium.loads.join(", ")}.` : "";
  return {
    key: "fetch",
    act: `Fetch ${medium.tag}${medium.name ? ` (${medium.name})` : ""}, ${medium.kindText}.`,
    details: [`${where}${what} Check the tag printed on it.`],
  };
}

export function power({ computer }: RunSheetInput): Step {
  const laptop = computer.facts.computer.form === "laptop" || computer.facts.computer.form === "tablet";
  return {
    key: "power",
    act: laptop
      ? "Connect mains power; do not run on the battery."
      : "Check that mains power is safe from being switched off.",
    details: ["An interruption during a restore leaves neither the old nor the new."],
  };
}

export function detach({ as }: RunSheetInput): Step {
  return {
    key: "detach",
    act: "Switch the computer off. Take out every other stick, card, external disk and disc.",
    details: [
      as === "usb"
        ? "What is not attached cannot be started or overwritten by mistake. A store with images is attached later, when its step says so."
        : "The drive must hold only this disc.",
    ],
  };
}

/** A key with where it is known from, where that is not this very computer. */
function keyText(input: RunSheetInput, name: KeyName): string {
  const { facts } = input.computer;
  const { key, from } = startKeys(facts.firmware.keys, input.keyCard, facts.computer.form)[name];
  if (from === "guess") return `${key} (a guess: what is usual, none is recorded)`;
  return key;
}

function settingChanges(starts: Link) {
  return starts.changes.filter(({ setting }) => SET_UP_SETTINGS.includes(setting));
}

export function settings(input: RunSheetInput): Step[] {
  const { starts } = input;
  const changes = settingChanges(starts);
  if (changes.length === 0) return [];
  return [
    {
      key: "settings",
      act: `Switch on and press ${keyText(input, "setup")} to open set-up. ${changes.map(changeText).join(". ")}.`,
      details: [
        ...changes.map(
          (change) => `Now: ${change.from}. Needed: ${change.to}. Write down where in set-up you found it.`,
        ),
        `Save with ${keyText(input, "save")} and switch off again.`,
      ],
    },
  ];
}

export function attach({ medium, as, starts }: RunSheetInput): Step {
  const external = starts.changes.some(({ setting }) => setting === "opticalDrive");
  if (as === "optical")
    return {
      key: "attach",
      act: external
        ? `Attach an external optical drive and put ${medium.tag} into it.`
        : `Put ${medium.tag} into the optical drive.`,
      details: [],
    };
  return {
    key: "attach",
    act: `Attach ${medium.tag} straight to a port of the computer, not through a hub.`,
    details: [],
  };
}

export function start(input: RunSheetInput): Step {
  const { computer, medium, starts, keyCard } = input;
  const asBios =
    computer.facts.firmware.kind === "bios" ||
    (computer.facts.firmware.legacyMode === "on") !== starts.changes.some(({ setting }) => setting === "legacyMode");
  const entry = asBios
    ? "the entry with the medium's maker or kind"
    : "the entry that says UEFI and the medium's maker or kind";
  const how = starts.reasons.find((reason) => reason.code === "uefi-starts" || reason.code === "bios-starts")?.text;
  return {
    key: "start",
    act: `Switch on and press ${keyText(input, "startMenu")} for the start menu. Choose ${entry}.`,
    details: [
      ...(how ? [how] : starts.reasons.map((reason) => reason.text)),
      ...(keyCard?.quirks ? [visible(keyCard.quirks, 300)] : []),
      `If ${medium.tag} is not in the menu: another port, then start from USB and fast boot in set-up, then the medium on another computer.`,
    ],
  };
}

export function blackScreen(): Step[] {
  return [
    {
      key: "black-screen",
      act: "If the screen stays black, start again and take the entry for basic graphics.",
      details: ["If the computer offers to format the medium or a disk: the answer is no."],
    },
  ];
}

export function look({ computer }: RunSheetInput): Step {
  const disks = (computer.facts.disks ?? []).filter((disk) => disk.removable !== true);
  if (disks.length === 0)
    return {
      key: "look",
      act: "Look which disks it sees.",
      details: ["Which disks this computer has is not recorded: compare with its papers before anything is written."],
    };
  return {
    key: "look",
    act: `Check that it sees ${disks.length === 1 ? "the disk" : `all ${disks.length} disks`}:`,
    details: disks.map(
      (disk) =>
        `${disk.name}, ${bytesText(disk.bytes)} (shows as ${binaryText(disk.bytes)})${disk.model ? `, ${disk.model}` : ""}${disk.serial ? `, serial ${disk.serial}` : ""}`,
    ),
  };
}

/** Encrypted content is of no use without its key: where it is kept is on the sheet, the key never is. */
export function unlock({ computer }: RunSheetInput): Step[] {
  const locked = (computer.facts.disks ?? [])
    .filter((disk) => disk.removable !== true)
    .flatMap((disk) =>
      disk.partitions
        .filter((partition) => partition.encryption !== null)
        .map((partition) => ({ name: `${disk.name} ${partition.number}`, place: partition.keyPlace })),
    );
  if (locked.length === 0) return [];
  return [
    {
      key: "unlock",
      act: "Have the recovery key at hand: content is encrypted.",
      details: locked.map(({ name, place }) => `${name}: ${place ?? "where its key is kept is not recorded"}`),
    },
  ];
}

function erased({ computer }: RunSheetInput): Step {
  const others = (computer.facts.disks ?? []).filter((disk) => disk.removable !== true).length > 1;
  return {
    key: "erased",
    act: "Starting from the medium erases nothing. A restore erases the whole target disk: say its size and serial aloud before you begin.",
    details: [
      others
        ? "Disconnect the disks that are not the target, or tick each one that must stay."
        : "What is on it now and not in an image is lost. Save what can still be read first.",
    ],
    warning: true,
  };
}

export function takeOut({ medium }: RunSheetInput): Step {
  return {
    key: "take-out",
    act: `Read the log to its end. Shut down, take ${medium.tag} out, unplug any store.`,
    details: ["Left in, the computer starts it again."],
  };
}

export function putBack(input: RunSheetInput): Step[] {
  const { computer, starts, medium } = input;
  const changes = settingChanges(starts);
  const home = medium.siteName ? ` Put ${medium.tag} back to ${medium.siteName}.` : "";
  const details = changes.map((change) => `${changeText({ ...change, from: change.to, to: change.from })} again.`);
  if (computer.facts.firmware.kind === "bios")
    details.push("On BIOS with an MBR the system partition must be marked active.");
  return [
    {
      key: "put-back",
      act: `${changes.length > 0 ? `Press ${keyText(input, "setup")} and put the settings back. ` : ""}Check that the internal disk is first in the start order, and start it.${home}`,
      details,
    },
  ];
}

export function writeDown({ computer }: RunSheetInput): Step {
  return {
    key: "write-down",
    act: `Write down when ${computer.tag} was back, what it came back as, and what was not as this sheet says.`,
    details: [],
  };
}
