import { roleOf } from "../../computer/facts/roles";
import type { DiskFacts, Facts } from "../../computer/facts/schema";
import { systemDisk } from "../../computer/needs/needs";
import type { ComputerPart, ImagePart, ImagePlace, MediumPart, ReleasePart } from "../model/parts";
import { all, best, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";
import { compareVersions, sameName } from "./versions";

/** What putting an image back is judged from. */
export interface ImageInput {
  computer: ComputerPart;
  medium: Pick<MediumPart, "tag" | "site">;
  release: Pick<ReleasePart, "name" | "kit" | "version" | "facts">;
  image: ImagePart;
  /** Finds the images that it builds on. */
  imageById: (id: string) => ImagePart | null;
}

type Rule = (input: ImageInput) => Ruling | null;

/** The mode in which a computer starts its systems; null where it is not known. */
export function modeOf({ firmware }: Facts): "uefi" | "bios" | null {
  if (firmware.kind === null) return null;
  return firmware.kind === "bios" || firmware.legacyMode === "on" ? "bios" : "uefi";
}

/** An image taken under UEFI goes back to a computer starting under UEFI, BIOS to BIOS. Common practice. */
const sameMode: Rule = ({ computer, image, release }) => {
  const mode = modeOf(computer.facts);
  if (image.mode === null) return unknown({ code: "image-fact-missing", fact: "mode" });
  if (mode === null) return unknown({ code: "fact-missing", fact: "firmware.kind" });
  if (mode === image.mode) return holds({ code: "image-mode-same", mode });
  if (release.facts.abilities.includes("mode-conversion"))
    return holds({ code: "image-mode-converted", release: release.name, from: image.mode, to: mode });
  const { kind, legacyMode } = computer.facts.firmware;
  if (kind === "uefi" && legacyMode !== "absent" && legacyMode !== null) {
    const to = image.mode === "bios" ? "on" : "off";
    return holdsAfter(
      { setting: "legacyMode", from: legacyMode, to },
      { code: "image-mode-other", image: image.mode, computer: mode },
    );
  }
  return broken({ code: "image-mode-other", image: image.mode, computer: mode });
};

/** The disk that a restore is aimed at: the one of the system, else the largest. */
function targetDisk(facts: Facts): DiskFacts | null {
  const internal = (facts.disks ?? []).filter((disk) => disk.removable !== true);
  return systemDisk(internal);
}

/** The target is a disk at least as large as the disk, not the partition, that the image came from. Common practice. */
const largeEnough: Rule = ({ computer, image }) => {
  if (image.diskBytes === null) return unknown({ code: "image-fact-missing", fact: "diskBytes" });
  const internal = (computer.facts.disks ?? []).filter((disk) => disk.removable !== true);
  const target = targetDisk(computer.facts);
  if (!target) return unknown({ code: "fact-missing", fact: "disks" });
  const needed = image.diskBytes;
  if (target.bytes >= needed)
    return holds({ code: "target-large-enough", disk: target.name, bytes: target.bytes, needed });
  const reason = { code: "target-too-small", disk: target.name, bytes: target.bytes, needed } as const;
  const other = internal.find((disk) => disk !== target && disk.bytes >= needed);
  return other ? holdsAfter({ setting: "target", from: target.name, to: other.name }, reason) : broken(reason);
};

/** Sector sizes must be the same unless the kit converts. Common practice. */
const sameSectors: Rule = ({ computer, image, release }) => {
  const target = targetDisk(computer.facts);
  if (!target) return null;
  if (image.sectorBytes === null) return unknown({ code: "image-fact-missing", fact: "sectorBytes" });
  if (target.sectorBytes === null) return unknown({ code: "fact-missing", fact: "sectorBytes" });
  if (target.sectorBytes === image.sectorBytes) return null;
  if (release.facts.abilities.includes("sector-conversion")) return null;
  return broken({ code: "sectors-differ", disk: target.name, bytes: target.sectorBytes, image: image.sectorBytes });
};

/** What a set must hold to start: the EFI system partition, or the active one under BIOS, and the system. Common practice. */
const startsAgain: Rule = ({ image }) => {
  if (image.partitions === null) return unknown({ code: "image-fact-missing", fact: "partitions" });
  const roles = image.partitions.map((each) => each.role);
  const isWhole = (role: string) => roles.includes(role);
  const lacks: ("esp" | "active" | "system")[] = [];
  if (!isWhole("system")) lacks.push("system");
  if (image.mode === "uefi" && !isWhole("esp")) lacks.push("esp");
  const startsBios = image.partitions.some((each) => each.active === true) || isWhole("bios-boot") || isWhole("boot");
  if (image.mode === "bios" && !startsBios) lacks.push("active");
  if (lacks.length === 0) return holds({ code: "image-starts-again" });
  const isTold = image.partitions.every((each) => each.role !== null && each.active !== null);
  return isTold ? broken({ code: "image-lacks", lacks }) : unknown({ code: "image-roles-unknown", lacks });
};

/** Each point in time needs all that it builds on, there and verified whole, back to a full image. Common practice. */
const lineageWhole: Rule = ({ image, imageById }) => {
  const seen = new Set<string>();
  let unverified: string | null = null;
  for (let part: ImagePart = image; ; ) {
    if (seen.has(part.id)) return broken({ code: "lineage-broken", image: part.id, parent: part.parent });
    seen.add(part.id);
    if (part.verified?.whole === false) return broken({ code: "image-damaged", image: part.id, on: part.verified.on });
    if (part.lost) return broken({ code: "image-lost", image: part.id });
    if (part.verified === null) unverified ??= part.id;
    if (part.kind === "full") break;
    const parent = part.parent === null ? null : imageById(part.parent);
    if (!parent) return broken({ code: "lineage-broken", image: part.id, parent: part.parent });
    part = parent;
  }
  if (unverified !== null) return unknown({ code: "image-unverified", image: unverified });
  return seen.size > 1 ? holds({ code: "lineage-whole", parts: seen.size }) : null;
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

/** A copy that can be had on the day: not on the disk that failed, on the medium itself, attached, or by the network. */
const reachable: Rule = (input) => {
  const { image } = input;
  if (image.places.length === 0) return unknown({ code: "image-fact-missing", fact: "places" });
  const ways = image.places.map((place) => ({ place, ruling: reached(place, input) }));
  return best(ways, ({ ruling }) => ruling)?.ruling ?? null;
};

function reached(place: ImagePlace, { computer, medium, release }: ImageInput): Ruling {
  switch (place.on) {
    case "medium":
      return place.tag === medium.tag
        ? holds({ code: "image-on-medium", medium: place.tag })
        : holdsAfter({ setting: "store", from: "away", to: place.tag }, { code: "image-elsewhere", place });
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
        ? broken({ code: "image-on-own-disk" })
        : holdsAfter({ setting: "store", from: place.tag, to: "a disk to carry" }, { code: "image-elsewhere", place });
  }
}

/** Every rule, in the order in which they are told. */
const IMAGE_RULES = {
  sameMode,
  largeEnough,
  sameSectors,
  startsAgain,
  lineageWhole,
  opened,
  sameHardware,
  decrypted,
  reachable,
} satisfies Record<string, Rule>;

/** Whether this image comes back by way of the network alone. */
export function needsNetwork({ image, medium }: Pick<ImageInput, "image" | "medium">): boolean {
  return (
    image.places.some((place) => place.on === "share") &&
    !image.places.some((place) => place.on === "disk" || (place.on === "medium" && place.tag === medium.tag))
  );
}

/** Whether an image comes back on the computer's disks by the medium's tools. All rules have to be met. */
export function judgeImage(input: ImageInput): Ruling {
  return all(Object.values(IMAGE_RULES).map((rule) => rule(input)));
}

/** The parts of a disk that an image is registered with. */
export function partitionsOf(disk: DiskFacts): NonNullable<ImagePart["partitions"]> {
  return disk.partitions.map((partition) => ({ role: roleOf(partition), active: partition.active }));
}
