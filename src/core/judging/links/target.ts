import type { DiskFacts } from "../../computer/facts/schema";
import { chooseDisk, internalDisks, setOf } from "../../computer/needs/system-disk";
import type { ComputerPart } from "../model/parts";
import { broken, holdsAfter, type Ruling, unknown } from "./ruling";

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
    (disk) => disk !== target.disk && disk.partitions.length === 0 && setOf(disk) === null,
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
