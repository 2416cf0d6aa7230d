import type { BranchCode, Check, SetupPassword, SheetDisk, SheetMediumKind, SheetMore, Step } from "../callout/step";
import type { StartKey } from "../computer/facts/key-cards";
import type { ImagePlace } from "../judging/model/parts";
import { LOADER_PATHS } from "../kernel/architecture";
import type { Range } from "../kernel/range";
import { dayText } from "./dates";
import { imagePlaceName } from "./image-places";
import { durationText } from "./images";
import { changeText, reasonText } from "./reasons";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

/** A step in words: what to do, in one line; what to look for, and why. */
export interface StepText {
  act: string;
  details: string[];
}

const MEDIUM_KINDS: Record<SheetMediumKind, string> = {
  usb: "a USB stick",
  disk: "an external disk",
  optical: "an optical disc",
  file: "a file to be written first",
  entry: "a boot entry on the computer's own disk",
};

/** A key, with a word where it is only what is usual. */
function keyText({ key, from }: StartKey): string {
  return from === "guess" ? `${key} (a guess: the usual key)` : key;
}

function diskText({ name, bytes, model, serial }: SheetDisk): string {
  return [`${name}, ${bytesText(bytes)} (shows as ${binaryText(bytes)})`, model, serial && `serial ${serial}`]
    .filter(Boolean)
    .join(", ");
}

function moreText({ of, state, disk }: SheetMore): string {
  if (disk && state === "placed")
    return `Disk ${of} of the image goes onto ${diskText(disk)}. That disk is erased too.`;
  if (disk && state === "left") return `Disk ${of} of the image is not restored: ${disk.name} stays unchanged.`;
  if (disk) return `Disk ${of} of the image: make sure first that ${diskText(disk)} is the same disk.`;
  return `Disk ${of} of the image is not restored: there is no disk for it.`;
}

const namesOf = (places: ImagePlace[]) => places.map(imagePlaceName).join(", ");

const TARGET_LOST = "Everything on that disk is lost. Check its size and serial before you begin.";

/** A step of the day in words. Every sentence of the printed sheet and of a call-out is made here. */
export function stepText(step: Step): StepText {
  switch (step.code) {
    case "fetch":
      return fetchText(step);
    case "fetch-store": {
      const [first, ...others] = step.places;
      return {
        act: `Fetch the store with image ${step.image}: ${first ? imagePlaceName(first) : ""}.`,
        details: others.length > 0 ? [`It is also on ${namesOf(others)}.`] : [],
      };
    }
    case "off-network":
      return {
        act: "Unplug the network cable and switch wireless off. Leave them off until the computer is clean.",
        details: ["An infection spreads by the network."],
      };
    case "destination":
      return {
        act: "Fetch an empty disk with room for the files.",
        details: ["Never copy onto the source disk."],
      };
    case "fit-disk":
      if (step.isBeside)
        return {
          act: `Switch off and unplug the computer. Connect the new disk (${bytesText(step.disk.bytes)}) beside the old one.`,
          details: [
            ...fittingDetails(step.fitting),
            "A second slot, or an adapter on a USB port. Label the old disk with the computer's tag and the date.",
          ],
        };
      return {
        act: `Switch off and unplug the computer. Take the old disk out and fit the new one (${bytesText(step.disk.bytes)}).`,
        details: [
          ...fittingDetails(step.fitting),
          "Label the old disk with the computer's tag and the date, and keep it until the work is done.",
        ],
      };
    case "disconnect-disks":
      return {
        act: `Disconnect every other disk: only ${step.keep.map(diskText).join(" and ")} ${step.keep.length === 1 ? "stays" : "stay"}.`,
        details: step.others.map(diskText),
      };
    case "power":
      return {
        act: step.isPortable ? "Connect mains power; do not run on the battery." : "Make sure mains power stays on.",
        details: ["An interrupted restore leaves no usable system."],
      };
    case "detach":
      return {
        act: "Switch the computer off. Take out every other stick, card, external disk and disc.",
        details: [
          step.as === "usb"
            ? "Nothing else can then be started or overwritten by mistake. Attach a store later, when its step says so."
            : "The drive must hold only this disc.",
        ],
      };
    case "settings-after":
      return {
        act: `Before it starts from its disk, press ${keyText(step.setupKey)} to open firmware setup. ${step.changes.map(changeText).join(". ")}.`,
        details: [
          "The restored system starts in this mode only. Do not change it back.",
          ...passwordDetails(step.password),
          `Save with ${keyText(step.saveKey)}.`,
        ],
      };
    case "settings":
      return {
        act: `Switch on and press ${keyText(step.setupKey)} to open firmware setup. ${step.changes.map(changeText).join(". ")}.`,
        details: [
          ...step.changes.map(({ from, to }) => `Now: ${from}. Needed: ${to}. Write down where you found it.`),
          ...passwordDetails(step.password),
          `Save with ${keyText(step.saveKey)} and switch off again.`,
        ],
      };
    case "attach":
      return {
        act: attachText(step),
        details: [
          ...step.changes.map((change) => `${changeText(change)}.`),
          ...(step.needsAdapter ? ["USB-C ports only: bring an adapter if the medium needs one."] : []),
          ...(step.ports ? [portsText(step.ports)] : []),
        ],
      };
    case "start":
      if (step.isEntry)
        return {
          act: `Switch on and choose the entry ${step.medium} in the boot menu on the screen.`,
          details: [
            ...step.reasons.map(reasonText),
            "If no menu appears, press the key for advanced start options, or use a medium instead.",
          ],
        };
      return {
        act: `${
          step.isTablet
            ? "Hold the volume-down key and switch on (a keyboard on a dock opens the boot menu too)."
            : `Switch on and press ${keyText(step.menuKey)} for the boot menu.`
        } Choose ${
          step.isBios
            ? "the entry with the medium's maker or kind"
            : "the entry that says UEFI and the medium's maker or kind"
        }.`,
        details: [
          ...step.reasons.map(reasonText),
          ...(step.quirks ? [visible(step.quirks, 300)] : []),
          ...(step.management
            ? [
                `Remote console: management controller at ${visible(step.management, 160)}. It can attach the medium's file as a virtual drive.`,
              ]
            : []),
          ...timeDetails(step.seconds),
          `If ${step.medium} is not in the menu: another port, then start from USB and fast boot in setup, then the medium on another computer.`,
        ],
      };
    case "black-screen":
      return {
        act: "If the screen stays black, start again and choose the basic graphics entry.",
        details: [],
      };
    case "no-format":
      return {
        act: "If asked to format anything, choose No.",
        details: ["It only means the layout is unreadable to it. Formatting destroys the data."],
      };
    case "drivers":
      return {
        act: `Load ${step.drivers.length === 1 ? "the driver" : "the drivers"}: ${step.drivers.join("; ")}.`,
        details: ["On media made by Creel: folder CREEL/drivers."],
      };
    case "look":
      return step.disks.length === 0
        ? {
            act: "Check which disks it sees.",
            details: ["Disks not recorded. Compare with the computer's papers before writing."],
          }
        : {
            act: `Check that it sees ${step.disks.length === 1 ? "the disk" : `all ${step.disks.length} disks`}:`,
            details: step.disks.map(diskText),
          };
    case "unlock":
      return {
        act: "Have the recovery key ready: content is encrypted.",
        details: step.locked.map(
          ({ partition, keyPlace }) => `${partition}: ${keyPlace ?? "key location not recorded"}`,
        ),
      };
    case "erased":
      return {
        act: "Starting from the medium erases nothing. A restore erases the whole target disk: check its size and serial before you begin.",
        details: [
          step.hasOtherDisks
            ? "Disconnect the disks that are not the target, or tick each one that must stay."
            : "Everything on it that is in no image is lost. Save what can still be read first.",
        ],
      };
    case "attach-store":
      return {
        act: `Attach ${step.place ? imagePlaceName(step.place) : "the store"} now, and wait until it is seen.`,
        details: [
          ...(step.place ? placeDetails(step.place) : ["Location not recorded. See the image's page."]),
          ...(step.next ? [`The image is in parts. The others: ${step.next.map(imagePlaceName).join(", ")}.`] : []),
        ],
      };
    case "choose-image": {
      const { image } = step;
      if (!image) return { act: "Choose the image of this computer.", details: [] };
      return {
        act: `Choose the image ${image.name}.`,
        details: [
          `Taken ${dayText(image.takenAt.slice(0, 10))}: later changes are not in it.`,
          ...(image.keyPlace ? [`The image is encrypted. Key location: ${image.keyPlace}.`] : []),
        ],
      };
    }
    case "choose-target":
      return {
        act: `Choose the target: ${step.target ? diskText(step.target) : "the disk: which one is not recorded, so compare it with the computer's papers"}.`,
        details: [
          ...(step.isOther ? ["Not the old system disk: that one is too small or of another kind."] : []),
          ...(step.more ?? []).map(moreText),
          TARGET_LOST,
        ],
      };
    case "open-image":
      return {
        act: `Open the image ${step.image.name} to read it; do not restore it.`,
        details: [
          `Taken ${dayText(step.image.takenAt.slice(0, 10))}: later changes are not in it.`,
          ...(step.image.keyPlace ? [`The image is encrypted. Key location: ${step.image.keyPlace}.`] : []),
          step.toOther
            ? "Nothing on the computer is erased: the files go to another disk."
            : "Nothing is written to the computer's disk but the files that were lost.",
        ],
      };
    case "choose-source":
      return {
        act: `Choose the source: ${step.disk ? diskText(step.disk) : "the old disk"}.`,
        details: ["Source and target are told apart by size and serial. Swapped, the copy erases the original."],
      };
    case "choose-partition":
      return choosePartitionText(step);
    case "save-table":
      return {
        act: "Save the partition table as it is now to another medium.",
        details: ["Then a wrong repair can be undone."],
      };
    case "swap-disks":
      return {
        act: "Unplug the computer. Take the old disk out and fit the new one.",
        details: [],
      };
    case "grow":
      return {
        act: `Extend the last partition on ${step.disk} into the ${bytesText(step.bytes)} behind it.`,
        details: ["If a recovery partition is last, move it to the end first, or add a partition of its own."],
      };
    case "keep-old":
      return {
        act: `Keep the old ${step.what} as it is for ${step.days} days, then erase it or record it as a spare.`,
        details: ["Until then it is a second copy of everything."],
      };
    case "read-only":
      return {
        act: "Open the disk read-only.",
        details: ["Writing makes a failing disk worse and damages a hibernated system."],
      };
    case "copy-sectors":
      return {
        act: "If the disk is noisy or reads fail, copy its sectors to another disk and work on the copy.",
        details: ["Copy the readable sectors first, then retry the rest."],
      };
    case "suspend":
      return {
        act: `Before you switch off, suspend disk encryption (${step.volumes.join(", ")}).`,
        details: ["Changed boot settings can make it ask for the recovery key."],
      };
    case "old-disk":
      return {
        act: step.isNew
          ? "Leave the old disk out."
          : "Keep the original system disk disconnected until the new one has started.",
        details: ["Never start with the original and its copy both connected: they share one identity."],
      };
    case "activate":
      return {
        act: "Check that the licence covers this computer, then activate the system.",
        details: step.family === "windows" ? ["A licence sold with the old computer may be tied to it."] : [],
      };
    case "begin":
      return beginText(step);
    case "take-out":
      return {
        act: step.medium
          ? `Read the log to its end. Shut down, take ${step.medium} out, unplug any store.`
          : "Read the log to its end. Shut down and unplug any store.",
        details: step.medium ? ["A medium left in starts again."] : [],
      };
    case "put-back":
      return {
        act: `${step.changes.length > 0 ? `Press ${keyText(step.setupKey)} and restore the settings. ` : ""}${
          step.isLeftOff
            ? "Leave the computer off until its disk is replaced or cleaned."
            : "Check that the internal disk is first in the boot order, and start it."
        }${step.site ? ` Return ${step.medium} to ${step.site}.` : ""}`,
        details: [
          ...step.changes.map((change) => `${changeText(change)} again.`),
          ...(step.changes.length > 0 ? passwordDetails(step.password) : []),
          ...step.stays.map((change) => `Do not undo: ${changeText(change)}.`),
          ...(step.isBios && !step.isLeftOff
            ? ["Under BIOS, or in legacy mode, a disk with an MBR needs its system partition marked active."]
            : []),
        ],
      };
    case "passwords":
      return {
        act: "Change the passwords that were used on it, on another computer.",
        details: ["After an image, passwords are those of its day."],
      };
    case "start-entry":
      return {
        act: "If firmware does not offer the disk, add a boot entry for its loader in setup.",
        details: [
          `Without an entry it starts only ${step.arch ? LOADER_PATHS[step.arch as keyof typeof LOADER_PATHS] : "the loader in /EFI/BOOT"} on the EFI system partition: copy the system's loader there.`,
        ],
      };
    case "rejoin":
      return {
        act: "If it is in a domain, sign in with a local account and join it again.",
        details: [`The image is ${step.days} days old: the domain may no longer accept the computer's own password.`],
      };
    case "encrypt-again":
      return {
        act: `Switch disk encryption on again for ${step.disk}, and keep the new recovery key.`,
        details: ["The restored disk is not encrypted until then."],
      };
    case "updates":
      return {
        act: "Install updates and drivers.",
        details: ["Then take a new image.", ...timeDetails(step.seconds)],
      };
    case "applications":
      return { act: "Start each application once.", details: [] };
    case "write-down":
      return {
        act: `Write down when ${step.computer} was back, the outcome, and what differed from this sheet.`,
        details: [],
      };
  }
}

function choosePartitionText({ disk, partitions }: Extract<Step, { code: "choose-partition" }>): StepText {
  const named = ({ number, label, bytes }: (typeof partitions)[number]) =>
    [`partition ${number}`, label && `“${visible(label, 60)}”`, bytes !== null && bytesText(bytes)]
      .filter(Boolean)
      .join(", ");
  const target = partitions.find(({ isTarget }) => isTarget);
  const kept = partitions.filter(({ isTarget }) => !isTarget);
  return {
    act: `Choose only the system partition as target: ${[disk?.name, target ? named(target) : "number not recorded"].filter(Boolean).join(", ")}.`,
    details: [
      ...(disk ? [`Disk: ${diskText(disk)}.`] : []),
      ...(kept.length > 0 ? [`Leave unticked: ${kept.map(named).join("; ")}.`] : []),
      "Everything on the system partition is lost.",
    ],
  };
}

const timeDetails = (seconds: Range | null) => (seconds && seconds.high > 0 ? [`Time: ${durationText(seconds)}.`] : []);

const fittingDetails = (fitting: string | null) =>
  fitting
    ? [`Disk fitting: ${visible(fitting, 500)}`]
    : ["Slots and screws of this model not recorded. See its boot key card."];

function passwordDetails(password: SetupPassword | null): string[] {
  if (!password) return [];
  return [
    password.place
      ? `Setup password location: ${visible(password.place, 160)}.`
      : "Setup password location not recorded. Get the password before you begin.",
  ];
}

function portsText({ needed, has }: NonNullable<Extract<Step, { code: "attach" }>["ports"]>): string {
  const list = new Intl.ListFormat("en-GB").format(needed);
  return `${has === 1 ? "One USB port" : `${has} USB ports`}; needed at once: ${list}. Put all but the medium on a powered hub.`;
}

/** How a store is come by: over the network as whom, and where its own key is. */
function placeDetails(place: ImagePlace): string[] {
  const details: string[] = [];
  if (place.on === "share") {
    const account = place.account ? `account ${visible(place.account, 120)}` : "account not recorded";
    details.push(`Share: ${place.address ? visible(place.address, 200) : "address not recorded"}, ${account}.`);
  }
  if (place.encrypted)
    details.push(
      place.keyPlace
        ? `Encrypted. Key location: ${visible(place.keyPlace, 160)}.`
        : "Encrypted. Key location not recorded.",
    );
  return details;
}

function fetchText({
  medium,
  lentTo,
  site,
  isWhereComputerIs,
  instead,
  seconds,
}: Extract<Step, { code: "fetch" }>): StepText {
  const where = lentTo
    ? `With ${lentTo}.`
    : site
      ? `Kept at ${site}${isWhereComputerIs ? ", where the computer is" : ""}.`
      : "Site not recorded.";
  const what = medium.loads.length > 0 ? ` It carries ${medium.loads.join(", ")}.` : "";
  return {
    act: `Fetch ${medium.tag}${medium.name ? ` (${medium.name})` : ""}, ${MEDIUM_KINDS[medium.kind]}.`,
    details: [
      `${where}${what} Check the tag printed on it.`,
      ...(instead ? [`It may be too old: use ${instead} if there is one.`] : []),
      ...timeDetails(seconds),
    ],
  };
}

function attachText({ as, medium, isDriveExternal }: Extract<Step, { code: "attach" }>): string {
  if (as === "usb") return `Attach ${medium} straight to a port of the computer, not through a hub.`;
  return isDriveExternal
    ? `Attach an external optical drive and put ${medium} into it.`
    : `Put ${medium} into the optical drive.`;
}

function beginText({ outcome, release, seconds }: Extract<Step, { code: "begin" }>): StepText {
  const time = seconds ? [`Time: ${durationText(seconds)}. Do not interrupt it.`] : [];
  switch (outcome) {
    case "image":
      return { act: "Start the restore.", details: time };
    case "copy":
      return { act: "Copy the old disk onto the new one.", details: time };
    case "system":
      return { act: "Restore the system partition.", details: ["The other partitions stay as they are.", ...time] };
    case "partitions":
      return {
        act: "Repair the partition table.",
        details: [
          "GPT: restore it from the backup at the end of the disk. MBR: search for lost partitions.",
          "Write the table only if every partition you expect is listed with its size.",
          ...time,
        ],
      };
    case "factory":
      return {
        act: `Restore the factory state from ${release ?? "the medium"}.`,
        details: ["All later work and settings are lost.", ...time],
      };
    case "reinstall":
      return {
        act: `Install from ${release ?? "the medium"}.`,
        details: ["Same system, edition and language as the licence covers.", ...time],
      };
    case "start-up":
      return {
        act: "Run the start-up repair.",
        details: ["Content is not touched. It may need a second run.", ...time],
      };
    case "files":
    case "image-files":
      return {
        act: "Copy the files to another disk: user folders first, then program data.",
        details: ["Copy, do not move. Never onto the disk that they are on.", ...time],
      };
  }
}

const BRANCHES: Record<BranchCode, string> = {
  "not-in-menu": "Not in the boot menu",
  "disk-missing": "Disk missing",
  "image-not-listed": "Image not listed",
  "breaks-off": "Restore aborts",
  "does-not-start": "Does not start from its disk",
};

/** What is seen where a step fails; without a full stop. */
export function branchText(code: BranchCode): string {
  return BRANCHES[code];
}

const CHECKS: Record<Exclude<Check, { places: unknown }>["code"], string> = {
  "fast-boot": "Switch fast boot off in setup; it may skip USB.",
  "usb-start": "Allow start from USB in setup.",
  "other-port": "Another port on the computer itself, best a USB 2 one.",
  "secure-boot-message": "Secure Boot may refuse its loader: watch for a message.",
  "other-mode": "Check whether the other mode, UEFI or BIOS, lists it.",
  "other-computer": "Start the medium on another computer: it may have failed.",
  "raid-mode": "Its controller may be set to RAID: the run sheet's settings say what is needed.",
  "load-driver": "Load the driver for its controller, if there is one on the medium.",
  "reseat-disk": "Shut down and reseat its cable or module.",
  "disk-in-setup": "Look for it in setup: a disk that firmware does not list has failed.",
  "attach-store-again": "Attach the store again and look for its files.",
  "environment-older": "The environment may be older than the image.",
  "read-log": "Read the log's last lines and write them down.",
  "check-image": "Check the image: a damaged one stops at the same point each time.",
  "image-before": "Use the image before it.",
  "target-failing": "The target may be failing: read its error report.",
  "medium-out": "Is the medium out, and is the disk first in the boot order?",
  "partition-active": "Under BIOS: is the system partition active?",
  "same-mode": "Same mode, UEFI or BIOS, as when the image was taken?",
  "repair-start-up": "Let the environment repair the start-up.",
};

/** What to look at where a step fails, in a sentence. */
export function stepCheckText(check: Check): string {
  if (check.code !== "other-copy") return CHECKS[check.code];
  return `Use another copy${check.places.length > 0 ? `: ${namesOf(check.places)}` : ""}.`;
}
