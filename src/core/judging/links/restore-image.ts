import { roleOf } from "../../computer/facts/roles";
import type { DiskFacts } from "../../computer/facts/schema";
import { chooseDisk, internalDisks, startsFromOther } from "../../computer/needs/system-disk";
import { behindPassword } from "../model/changes";
import {
  CARRIED_DISK,
  type ComputerPart,
  type ImagePart,
  type ImagePlace,
  type MediumPart,
  type ReleasePart,
} from "../model/parts";
import type { Link } from "../model/schema";
import { isSwitchable, modeOf, startMode, systemMode } from "./modes";
import { judgeMoreDisks, partitionsOfAll } from "./more-disks";
import { all, best, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";
import { fittingTarget, targetOf, withinMbr, writtenDisk } from "./target";
import { compareVersions, sameName } from "./versions";

/** What putting an image back is judged from. */
export interface ImageInput {
  computer: ComputerPart;
  medium: Pick<MediumPart, "tag" | "site">;
  release: Pick<ReleasePart, "name" | "kit" | "version" | "facts">;
  image: ImagePart;
  /** Finds the images that it builds on. */
  imageById: (id: string) => ImagePart | null;
  /** Another medium that holds a copy; not given: nothing is known of other media. */
  mediumByTag?: ((tag: string) => MediumPart | null) | undefined;
  /** How the medium starts, which may switch the mode. */
  starts?: Pick<Link, "changes"> | null;
  /** False: without what lies on shares. */
  network?: boolean;
}

type Rule = (input: ImageInput) => Ruling | null;

/**
 * An image is started again in the mode in which it was taken. Where the computer is set to the other one, the setting is
 * changed, after the restore if the medium needs the other to start. Common practice; UEFI 2.10, 3.1.
 */
const sameMode: Rule = ({ computer, image, release, starts }) => {
  const mode = modeOf(computer.facts);
  const taken = image.mode;
  if (taken === null) return unknown({ code: "image-fact-missing", fact: "mode" });
  if (mode === null) return unknown({ code: "fact-missing", fact: "firmware.kind" });
  // Firmware that offers both modes starts either.
  if (mode === taken || computer.facts.firmware.legacyMode === "both")
    return holds({ code: "image-mode-same", mode: taken });
  if (release.facts.abilities.includes("mode-conversion"))
    return holds({ code: "image-mode-converted", release: release.name, from: taken, to: mode });
  const other = { code: "image-mode-other", image: taken, computer: mode } as const;
  const canSwitch = isSwitchable(computer.facts);
  if (canSwitch === false) return broken(other);
  if (canSwitch === null) return unknown({ code: "fact-missing", fact: "firmware.legacyMode" }, other);
  // The medium's own start switches it already, and it stays so.
  if (starts && startMode(computer.facts, starts) === taken) return holds(other);
  const [from, to] = taken === "bios" ? (["off", "on"] as const) : (["on", "off"] as const);
  const switching = holdsAfter({ setting: "legacyMode", from, to }, other);
  const isOff = starts?.changes.some(({ setting }) => setting === "secureBoot");
  if (to === "off" || computer.facts.firmware.secureBoot?.state !== "on" || isOff) return switching;
  // Firmware has no Secure Boot in legacy mode.
  return all([holdsAfter({ setting: "secureBoot", from: "on", to: "off" }), switching]);
};

/**
 * The target is a disk at least as large as the disk, not the partition, that the image came from, with sectors of the same
 * size unless the kit converts. Common practice.
 */
const fitsTarget: Rule = ({ computer, image, release }) =>
  fittingTarget(computer, (disk) =>
    all([largeEnough(disk, image), sameSectors(disk, image, release), withinTable(disk, image)]),
  );

/** Each further disk of an image needs one of its own, beside that which the first one is written to. */
const fitsMoreDisks: Rule = (input) => {
  const first = fitsTarget(input);
  const target = targetOf(input.computer).disk && writtenDisk(input.computer, first?.changes ?? []);
  return target && judgeMoreDisks({ ...input, target });
};

/** An image of a disk that starts by BIOS comes back with its MBR, which reaches no further on a larger disk. */
function withinTable(target: DiskFacts, { mode, partitions }: ImagePart): Ruling | null {
  const isGpt = partitions?.some(({ role }) => role === "bios-boot" || role === "esp");
  return mode === "bios" && !isGpt ? withinMbr(target) : null;
}

function largeEnough(target: DiskFacts, { diskBytes }: ImagePart): Ruling {
  if (diskBytes === null) return unknown({ code: "image-fact-missing", fact: "diskBytes" });
  const told = { disk: target.name, bytes: target.bytes, needed: diskBytes };
  return target.bytes >= diskBytes
    ? holds({ code: "target-large-enough", ...told })
    : broken({ code: "target-too-small", ...told });
}

function sameSectors(target: DiskFacts, image: ImagePart, release: ImageInput["release"]): Ruling | null {
  if (image.sectorBytes !== null && target.sectorBytes === image.sectorBytes) return null;
  if (release.facts.abilities.includes("sector-conversion")) return null;
  if (image.sectorBytes === null) return unknown({ code: "image-fact-missing", fact: "sectorBytes" });
  if (target.sectorBytes === null) return unknown({ code: "fact-missing", fact: "sectorBytes" });
  return broken({ code: "sectors-differ", disk: target.name, bytes: target.sectorBytes, image: image.sectorBytes });
}

/**
 * What a set must hold to start: the EFI system partition, or the active one under BIOS, and the system. What is not told of
 * a partition may be what is missed; of UEFI it does not matter which is active. Common practice.
 */
const startsAgain: Rule = ({ image, computer }) => {
  const partitions = partitionsOfAll(image);
  if (partitions === null) return unknown({ code: "image-fact-missing", fact: "partitions" });
  const has = (role: string) => partitions.some((each) => each.role === role);
  const { mode } = image;
  const startsBios = partitions.some(({ active }) => active === true) || has("bios-boot") || has("boot");
  const isRoleOpen = partitions.some(({ role }) => role === null);
  const isActiveOpen = isRoleOpen || partitions.some(({ active }) => active === null);
  const lacks: { part: "esp" | "active" | "system"; isOpen: boolean }[] = [];
  if (!has("system")) lacks.push({ part: "system", isOpen: isRoleOpen });
  if (mode === "uefi" && !has("esp")) lacks.push({ part: "esp", isOpen: isRoleOpen });
  if (mode === "bios" && !startsBios) lacks.push({ part: "active", isOpen: isActiveOpen });
  if (lacks.length === 0) return holds({ code: "image-starts-again" });
  // Whether that disk is still there on the day, and as it was, the image does not say.
  const started = lacks.every(({ part }) => part === "esp") ? startDiskBeside(computer) : null;
  if (started) return unknown({ code: "image-start-elsewhere", disk: started.name });
  const parts = lacks.map(({ part }) => part);
  return lacks.every(({ isOpen }) => isOpen)
    ? unknown({ code: "image-roles-unknown", lacks: parts })
    : broken({ code: "image-lacks", lacks: lacks.flatMap(({ part, isOpen }) => (isOpen ? [] : [part])) });
};

/** The disk beside the target that the computer starts from. */
function startDiskBeside({ facts, toldDisk, oldDisk }: ComputerPart): DiskFacts | null {
  const replaced = toldDisk ? (oldDisk ?? null) : targetOf({ facts, toldDisk: null }).disk;
  return replaced && startsFromOther(facts, replaced);
}

interface ImageLineage {
  parts: ImagePart[];
  /** What keeps it from being whole, but for what is missing of the parts themselves. */
  fault: Ruling | null;
}

/** Several rules go by it, on every medium: it is followed once for as long as the same world is judged. */
const lineages = new WeakMap<ImagePart, { imageById: ImageInput["imageById"]; lineage: ImageLineage }>();

/** An image with all that it builds on, back to a full one. */
function lineageOf({ image, imageById }: Pick<ImageInput, "image" | "imageById">): ImageLineage {
  const followed = lineages.get(image);
  if (followed?.imageById === imageById) return followed.lineage;
  const lineage = followLineage(image, imageById);
  lineages.set(image, { imageById, lineage });
  return lineage;
}

function followLineage(image: ImagePart, imageById: ImageInput["imageById"]): ImageLineage {
  const parts: ImagePart[] = [];
  for (let part: ImagePart = image; ; ) {
    if (parts.some(({ id }) => id === part.id))
      return { parts, fault: broken({ code: "lineage-broken", image: part.id, parent: part.parent }) };
    parts.push(part);
    if (part.computer !== image.computer)
      return { parts, fault: broken({ code: "lineage-other-computer", image: part.id, computer: part.computer }) };
    if (part.kind === "full") return { parts, fault: null };
    const parent = part.parent === null ? null : imageById(part.parent);
    if (!parent || parent.takenAt > part.takenAt)
      return { parts, fault: broken({ code: "lineage-broken", image: part.id, parent: part.parent }) };
    part = parent;
  }
}

/** Each point in time needs all that it builds on, there and verified whole, back to a full image. Common practice. */
const lineageWhole: Rule = (input) => {
  const { parts, fault } = lineageOf(input);
  for (const { id, verified, lost } of parts) {
    if (verified?.whole === false) return broken({ code: "image-damaged", image: id, on: verified.on });
    if (lost) return broken({ code: "image-lost", image: id });
  }
  if (fault) return fault;
  const unverified = parts.find(({ verified }) => verified === null);
  if (unverified) return unknown({ code: "image-unverified", image: unverified.id });
  return parts.length > 1 ? holds({ code: "lineage-whole", parts: parts.length }) : null;
};

/** A kit opens images of its own version or older, and those of other kits that it says it opens. Common practice. */
const opened: Rule = ({ image, release }) => {
  if (image.kit === null) return unknown({ code: "image-fact-missing", fact: "kit" });
  const { kit, kitVersion } = image;
  const told = release.facts.opens.filter((each) => sameName(each.kit, kit));
  const ownTool = sameName(release.kit, kit) && told.length === 0 ? [{ kit, upTo: release.version }] : [];
  const opens = [...told, ...ownTool];
  if (opens.length === 0) return broken({ code: "image-kit-other", release: release.name, kit });
  if (opens.some((each) => each.upTo === null)) return holds({ code: "image-opens", release: release.name, kit });
  if (kitVersion === null) return unknown({ code: "image-fact-missing", fact: "kitVersion" });
  const isOld = opens.some((each) => each.upTo !== null && compareVersions(kitVersion, each.upTo) <= 0);
  return isOld
    ? holds({ code: "image-opens", release: release.name, kit })
    : broken({ code: "image-kit-newer", release: release.name, kit, version: kitVersion });
};

/** The same computer, or make and model; another one only with a kit that fits the drivers. Common practice. */
const sameHardware: Rule = ({ computer, image, release }) => {
  if (image.computer === computer.tag) return null;
  const { make, model } = computer.facts.computer;
  if (release.facts.abilities.includes("hardware-move"))
    return holds({ code: "hardware-moves", release: release.name });
  if (!make || !model) return unknown({ code: "fact-missing", fact: "model" });
  if (!image.make || !image.model) return unknown({ code: "image-fact-missing", fact: "model" });
  if (sameName(make, image.make) && sameName(model, image.model)) return null;
  return broken({ code: "hardware-other", image: `${image.make} ${image.model}`, release: release.name });
};

/** Encrypted content is of no use without its key: somebody must have written down where it is. */
const decrypted: Rule = ({ image }) => {
  if (image.encrypted === false) return null;
  if (image.encrypted === null) return unknown({ code: "image-fact-missing", fact: "encrypted" });
  return image.keyPlace === null
    ? unknown({ code: "image-fact-missing", fact: "keyPlace" })
    : holds({ code: "key-kept", place: image.keyPlace });
};

/** A copy of each part that can be had on the day: on the medium itself, on what is attached, or by the network. */
const reachable: Rule = (input) => {
  const rulings = lineageOf(input).parts.map((part) => copyOf(part, input));
  return all(rulings);
};

function copyOf(part: ImagePart, input: ImageInput): Ruling | null {
  if (part.places.length === 0) return unknown({ code: "image-fact-missing", fact: "places" });
  const places = part.places.filter((place) => input.network !== false || place.on !== "share");
  const at = (place: ImagePlace) => all([reached(place, input), unlocked(place)]);
  const ways = [...places.filter((place) => !place.part).map(at), ...inParts(part, places, at)];
  return best(ways, (ruling) => ruling) ?? broken({ code: "share-only", image: part.id });
}

/** A copy whose parts lie in different places: each part is needed, from the best place that has it. */
function inParts({ id }: ImagePart, places: ImagePlace[], at: (place: ImagePlace) => Ruling): Ruling[] {
  const counts = [...new Set(places.flatMap(({ part }) => part?.of ?? []))];
  return counts.map((of) =>
    all([
      holds({ code: "image-in-parts", of }),
      ...Array.from({ length: of }, (_, index) => {
        const number = index + 1;
        const having = places.filter(({ part }) => part?.of === of && part.number === number);
        return (
          best(having.map(at), (ruling) => ruling) ?? broken({ code: "image-part-missing", image: id, number, of })
        );
      }),
    ]),
  );
}

/** A place that is encrypted itself is opened before the image in it is seen. */
function unlocked(place: ImagePlace): Ruling | null {
  if (!place.encrypted) return null;
  const store = place.on === "medium" || place.on === "computer" ? place.tag : place.name;
  return place.keyPlace
    ? holds({ code: "store-key-kept", store, place: place.keyPlace })
    : unknown({ code: "store-key-unknown", store });
}

function reached(place: ImagePlace, input: ImageInput): Ruling {
  const { computer, medium, release } = input;
  switch (place.on) {
    case "medium":
      return place.tag === medium.tag
        ? holds({ code: "image-on-medium", medium: place.tag })
        : onOtherMedium(place, input);
    case "disk":
      return holdsAfter(
        { setting: "store", from: place.site ?? "away", to: place.name },
        { code: "image-elsewhere", place },
      );
    case "share":
      if (!release.facts.purposes.includes("network"))
        return broken({ code: "share-not-reached", share: place.name, release: release.name });
      if (place.sites === null) return unknown({ code: "share-reach-unknown", share: place.name });
      if (computer.site === null) return unknown({ code: "computer-place-unknown" });
      return place.sites.includes(computer.site)
        ? holds({ code: "image-on-share", share: place.name })
        : broken({ code: "share-not-here", share: place.name, site: computer.site });
    case "computer":
      return place.tag === computer.tag
        ? onOwnDisk(place, computer)
        : holdsAfter({ setting: "store", from: place.tag, to: CARRIED_DISK }, { code: "image-elsewhere", place });
  }
}

/** Another medium is a store like any: it has to be in service, to be had and to be relied on. */
function onOtherMedium(place: Extract<ImagePlace, { on: "medium" }>, { mediumByTag }: ImageInput): Ruling {
  const other = mediumByTag ? mediumByTag(place.tag) : null;
  if (mediumByTag && !other) return unknown({ code: "store-not-recorded", medium: place.tag });
  if (other?.retired || other?.condition === "distrusted")
    return broken({ code: "store-not-usable", medium: place.tag });
  const from = other?.lentTo ?? other?.site ?? "away";
  return holdsAfter({ setting: "store", from, to: place.tag }, { code: "image-elsewhere", place });
}

/** What is written to is lost with its images; another disk in the computer is not. */
function onOwnDisk({ diskSerial }: Extract<ImagePlace, { on: "computer" }>, computer: ComputerPart): Ruling {
  const disks = internalDisks(computer.facts);
  const choice = chooseDisk(computer.facts, computer.toldDisk ?? null);
  const other = disks.find(({ serial }) => diskSerial !== null && serial !== null && sameName(serial, diskSerial));
  if (choice.state === "one") {
    if (other && other !== choice.disk) return holds({ code: "image-on-second-disk", disk: other.name });
    // The serial is the target's, or that of a disk that is not there any more.
    if (other || disks.length === 1 || diskSerial !== null) return broken({ code: "image-on-own-disk" });
  }
  return unknown({ code: "image-disk-open" });
}

/** Every rule, in the order in which they are told. */
const IMAGE_RULES = {
  sameMode,
  fitsTarget,
  fitsMoreDisks,
  startsAgain,
  lineageWhole,
  opened,
  sameHardware,
  decrypted,
  reachable,
} satisfies Record<string, Rule>;

/** Whether a copy of the image, or of what it builds on, is reached by the network, and whether one is otherwise. */
export function copiesOf(input: Pick<ImageInput, "image" | "imageById">): { onShares: boolean; elsewhere: boolean } {
  const places = lineageOf(input).parts.flatMap((part) => part.places);
  return { onShares: places.some(({ on }) => on === "share"), elsewhere: places.some(({ on }) => on !== "share") };
}

/** Whether an image comes back on the computer's disks by the medium's tools. All rules have to be met. */
export function judgeImage(input: ImageInput): Ruling {
  const ruling = all(Object.values(IMAGE_RULES).map((rule) => rule(input)));
  return behindPassword(ruling, input.computer.facts.firmware);
}

/**
 * The system partition on the disk that is left as it is otherwise: it has to be there, and at least as large as it was.
 * Common practice.
 */
const fitsSystemPartition: Rule = ({ computer, image }) => {
  if (computer.toldDisk) return broken({ code: "disk-empty" });
  const target = targetOf(computer);
  if (target.disk === null) return target.ruling;
  const there = target.disk.partitions.find((each) => roleOf(each) === "system");
  if (!there) return unknown({ code: "fact-missing", fact: "partitions" });
  if (image.partitions === null) return unknown({ code: "image-fact-missing", fact: "partitions" });
  const taken = image.partitions.find(({ role }) => role === "system");
  if (!taken)
    return image.partitions.some(({ role }) => role === null)
      ? unknown({ code: "image-roles-unknown", lacks: ["system"] })
      : broken({ code: "image-lacks", lacks: ["system"] });
  if (taken.bytes == null || there.bytes === null)
    return unknown({ code: "system-partition-size", of: there.bytes === null ? "disk" : "image" });
  const told = { partition: `${target.disk.name} ${there.number}`, bytes: there.bytes, needed: taken.bytes };
  return there.bytes >= taken.bytes
    ? holds({ code: "system-partition-fits", ...told })
    : broken({ code: "system-partition-too-small", ...told });
};

/** A system starts in the mode in which it was installed: what is left of the disk must be of the image's. */
const sameModeAsDisk: Rule = ({ computer, image }) => {
  const installed = systemMode(computer.facts);
  if (image.mode === null) return unknown({ code: "image-fact-missing", fact: "mode" });
  if (installed === null || installed === image.mode) return null;
  return broken({ code: "image-mode-other", image: image.mode, computer: installed });
};

const sameSectorsAsDisk: Rule = ({ computer, image, release }) => {
  const { disk } = targetOf(computer);
  return disk && sameSectors(disk, image, release);
};

/** Whether only the system partition of an image comes back, while the rest of the disk is left as it is. */
export function judgeSystemPartition(input: ImageInput): Ruling {
  const rules = [sameModeAsDisk, fitsSystemPartition, sameSectorsAsDisk, lineageWhole, opened, sameHardware];
  return all([...rules, decrypted, reachable].map((rule) => rule(input)));
}

/** Whether the system's disk holds anything that putting back the system partition alone would leave as it is. */
export function hasMoreThanSystem(computer: Pick<ComputerPart, "facts" | "toldDisk">): boolean {
  const disk = computer.toldDisk ? null : targetOf(computer).disk;
  return disk?.partitions.some((each) => roleOf(each) === "data") ?? false;
}

/** Whether files can be taken out of this image: it is opened and read, and nothing on the computer is written over. */
export function judgeOpening(input: ImageInput): Ruling {
  return all([lineageWhole, opened, decrypted, reachable].map((rule) => rule(input)));
}

/** The parts of a disk that an image is registered with. */
export function partitionsOf(disk: DiskFacts): NonNullable<ImagePart["partitions"]> {
  return disk.partitions.map((partition) => ({ role: roleOf(partition), active: partition.active }));
}
