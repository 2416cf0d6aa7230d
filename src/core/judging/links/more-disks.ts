import type { DiskFacts } from "../../computer/facts/schema";
import { internalDisks, isBlank, setOf } from "../../computer/needs/system-disk";
import type { ComputerPart, ImageDisk, ImagePart, ReleasePart } from "../model/parts";
import { all, broken, holds, type Ruling, unknown } from "./ruling";
import { sameName } from "./versions";

/** What comes of a disk that an image holds beside the first one. `placed`: it is written onto this one. */
export type DiskFate =
  | { state: "placed"; of: ImageDisk; disk: DiskFacts }
  | { state: "left"; of: ImageDisk; disk: DiskFacts }
  /** It would be written over, and is not certain to be the one that is meant. */
  | { state: "unsure"; of: ImageDisk; disk: DiskFacts }
  | { state: "without-place"; of: ImageDisk; isNeeded: boolean }
  | { state: "open"; of: ImageDisk };

interface Placing {
  computer: Pick<ComputerPart, "tag" | "facts" | "toldDisk">;
  image: Pick<ImagePart, "computer" | "mode" | "partitions" | "moreDisks">;
  release: Pick<ReleasePart, "facts">;
  /** The disk that the first one goes onto; null: not known. */
  target: DiskFacts | null;
}

/**
 * Where each further disk of an image goes. What the computer starts by goes back; a disk with data that is still there has
 * later work on it, and is left. The others need an empty disk each. Common practice.
 */
export function diskFates({ computer, image, release, target }: Placing): DiskFate[] {
  const inside = internalDisks(computer.facts).filter((disk) => disk.name !== target?.name);
  const taken = new Set<DiskFacts>();
  const take = (disk: DiskFacts) => {
    taken.add(disk);
    return disk;
  };
  const isOwn = image.computer === computer.tag;
  // What stands where it stood takes no other one's place.
  const kept = new Map<ImageDisk, DiskFacts>();
  for (const of of isOwn ? (image.moreDisks ?? []) : []) {
    const disk = inside.find((each) => !isBlank(each) && !taken.has(each) && isSame(each, of));
    if (disk) kept.set(of, take(disk));
  }
  const bySize = [...(image.moreDisks ?? [])].sort((a, b) => (b.bytes ?? 0) - (a.bytes ?? 0));
  const fates = new Map<ImageDisk, DiskFate>();
  for (const of of bySize) {
    const isNeeded = startsBy(of, image);
    const own = kept.get(of);
    if (own) {
      // Nothing is erased that only looks like the disk that is meant, or that others hang together with.
      const isCertain = Boolean(own.serial && of.serial) && setOf(own) === null;
      if (!isNeeded) fates.set(of, { state: "left", of, disk: own });
      else fates.set(of, isCertain ? { state: "placed", of, disk: own } : { state: "unsure", of, disk: own });
      continue;
    }
    const empty = inside
      .filter((disk) => isBlank(disk) && setOf(disk) === null && !taken.has(disk))
      .sort((a, b) => a.bytes - b.bytes);
    const converts = release.facts.abilities.includes("sector-conversion");
    const fits = ({ bytes, sectorBytes }: DiskFacts) =>
      of.bytes !== null &&
      bytes >= of.bytes &&
      (converts || (of.sectorBytes !== null && sectorBytes === of.sectorBytes));
    const disk = empty.find(fits);
    const isOpen = empty.length > 0 && (of.bytes === null || (of.sectorBytes === null && !converts));
    if (disk) fates.set(of, { state: "placed", of, disk: take(disk) });
    else fates.set(of, isOpen ? { state: "open", of } : { state: "without-place", of, isNeeded });
  }
  return (image.moreDisks ?? []).flatMap((of) => fates.get(of) ?? []);
}

/** By the serial; where one is not recorded, by name and size. */
function isSame(disk: DiskFacts, of: ImageDisk): boolean {
  if (disk.serial && of.serial) return sameName(disk.serial, of.serial);
  return disk.name === of.name && disk.bytes === of.bytes;
}

/** Whether the computer starts by what is on this disk: it holds a part for that which the first disk lacks. */
function startsBy(
  { partitions }: ImageDisk,
  { partitions: first, mode }: Pick<ImagePart, "partitions" | "mode">,
): boolean {
  const own = partitions ?? [];
  const has = (role: string) => first?.some((each) => each.role === role) ?? false;
  const gives = (role: string) => !has(role) && own.some((each) => each.role === role);
  if (gives("system") || gives("boot")) return true;
  // Each mode starts by parts of its own: those that the other one left behind are not needed.
  if (mode !== "bios" && gives("esp")) return true;
  const startsBios = first?.some(({ active }) => active === true) || has("bios-boot") || has("boot");
  return mode !== "uefi" && !startsBios && (gives("bios-boot") || own.some(({ active }) => active === true));
}

/** Whether every disk of an image that is of several has where to go; null where it is of one. */
export function judgeMoreDisks(placing: Placing): Ruling | null {
  return placing.image.moreDisks?.length ? all(diskFates(placing).map(ruled)) : null;
}

function ruled(fate: DiskFate): Ruling {
  const of = fate.of.name;
  switch (fate.state) {
    case "placed":
      return holds({ code: "image-disk-placed", of, disk: fate.disk.name, bytes: fate.disk.bytes });
    case "left":
      return holds({ code: "image-disk-left", disk: fate.disk.name });
    case "unsure": {
      const [disk, set] = [fate.disk.name, setOf(fate.disk)];
      return unknown(set === null ? { code: "image-disk-unsure", of, disk } : { code: "disk-in-set", disk, set });
    }
    case "without-place": {
      const reason = { code: "image-disk-without-place", of, bytes: fate.of.bytes, isNeeded: fate.isNeeded } as const;
      return fate.isNeeded ? broken(reason) : holds(reason);
    }
    case "open":
      return unknown({ code: "image-disk-size-unknown", of });
  }
}

/** The partitions that an image brings back together, on whichever of its disks. */
export function partitionsOfAll({ partitions, moreDisks }: ImagePart): ImagePart["partitions"] {
  return moreDisks?.length
    ? [...(partitions ?? []), ...moreDisks.flatMap((disk) => disk.partitions ?? UNTOLD)]
    : partitions;
}

/** A disk of which nobody recorded what is on it may hold anything. */
const UNTOLD: NonNullable<ImagePart["partitions"]> = [{ role: null, active: null }];
