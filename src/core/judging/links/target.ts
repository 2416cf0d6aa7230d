import type { DiskFacts } from "../../computer/facts/schema";
import { chooseDisk, internalDisks, isBlank, setOf, systemDisk } from "../../computer/needs/system-disk";
import type { ComputerPart } from "../model/parts";
import type { Change } from "../model/schema";
import { broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";

/** The disk that something is written to, or why that is not known. */
export type Target = { disk: DiskFacts; ruling: null } | { disk: null; ruling: Ruling };

/** The disk that is written to: a wrong one is erased for good, so that nothing is guessed. */
export function targetOf({ facts, toldDisk }: Pick<ComputerPart, "facts" | "toldDisk">): Target {
  const choice = chooseDisk(facts, toldDisk ?? null);
  if (choice.state === "none") return { disk: null, ruling: unknown({ code: "fact-missing", fact: "disks" }) };
  if (choice.state === "several") {
    const disks = choice.disks.map(({ name }) => name);
    return { disk: null, ruling: unknown({ code: "system-disk-open", disks }) };
  }
  const set = setOf(choice.disk);
  if (set !== null) return { disk: null, ruling: unknown({ code: "disk-in-set", disk: choice.disk.name, set }) };
  return { disk: choice.disk, ruling: null };
}

/** The disk that is written to: another one where the changes of a route say so. */
export function writtenDisk(
  { facts, toldDisk }: Pick<ComputerPart, "facts" | "toldDisk">,
  changes: readonly Pick<Change, "setting" | "to">[],
): DiskFacts | null {
  const other = changes.find(({ setting }) => setting === "target")?.to;
  return other ? (facts.disks?.find(({ name }) => name === other) ?? null) : systemDisk(facts, toldDisk ?? null);
}

/**
 * The target, or where an image does not go onto it another disk: one that is empty, since whatever else is on it would be
 * lost. `fits`: what is wrong with a disk; null: nothing.
 */
export function fittingTarget(
  computer: Pick<ComputerPart, "facts" | "toldDisk">,
  fits: (disk: DiskFacts) => Ruling | null,
): Ruling | null {
  const target = targetOf(computer);
  if (target.disk === null) return target.ruling;
  const ruling = fits(target.disk);
  if (ruling?.verdict !== "broken" || computer.toldDisk) return ruling;
  const others = internalDisks(computer.facts).filter(
    (disk) => disk !== target.disk && isBlank(disk) && setOf(disk) === null,
  );
  const other = others.find((disk) => (fits(disk)?.verdict ?? "holds") === "holds");
  if (other)
    return holdsAfter({ setting: "target", from: target.disk.name, to: other.name }, ...ruling.reasons, {
      code: "other-target",
      disk: other.name,
      bytes: other.bytes,
    });
  return broken(...ruling.reasons);
}

/** Sectors are counted in 32 bits in an MBR. UEFI 2.10, 5.2.1. */
const MBR_SECTORS = 2 ** 32;

/** How far an MBR reaches on a disk that is larger; null where all of it is in reach. */
export function withinMbr({ name, bytes, sectorBytes }: DiskFacts): Ruling | null {
  const reach = MBR_SECTORS * (sectorBytes ?? 512);
  return bytes > reach ? holds({ code: "mbr-limit", disk: name, bytes: reach }) : null;
}
