import type { DiskFacts } from "../computer/facts/schema";
import { systemDisk } from "../computer/needs/system-disk";
import type { ComputerPart } from "../judging/model/parts";
import type { Change } from "../judging/model/schema";
import type { Route } from "../judging/routes/routes";
import { daysBetween } from "../kernel/days";
import { type Gives, sheetDisk } from "./run-sheet";

/** The disk that is written to: another one where the route's changes say so. */
export function targetDisk(
  { facts, toldDisk }: Pick<ComputerPart, "facts" | "toldDisk">,
  changes: readonly Pick<Change, "setting" | "to">[],
): DiskFacts | null {
  const other = changes.find(({ setting }) => setting === "target")?.to;
  return other ? (facts.disks?.find(({ name }) => name === other) ?? null) : systemDisk(facts, toldDisk ?? null);
}

/** What a route gives back, as its sheet needs it; null where that is not recorded. */
export function givesOf(
  computer: Pick<ComputerPart, "tag" | "facts" | "toldDisk" | "oldDisk">,
  { outcome, release, links }: Pick<Route, "outcome" | "release" | "links">,
  told: { today: string } & Partial<Pick<Gives, "times" | "happening">>,
): Gives | null {
  if (outcome === null) return null;
  const { image, kind } = outcome;
  const disk = targetDisk(computer, links.restores.changes);
  return {
    ...{ outcome: kind, release, isTargetNew: Boolean(computer.toldDisk) },
    target: disk && sheetDisk(disk),
    oldDisk: computer.oldDisk ? sheetDisk(computer.oldDisk) : null,
    image: image && { name: image.id, takenAt: image.takenAt, places: image.places, keyPlace: image.keyPlace },
    drivers: links.sees.changes.flatMap(({ setting, to }) => (setting === "driver" ? [to] : [])),
    ...{ times: told.times ?? null, happening: told.happening ?? null },
    imageDays: image && daysBetween(image.takenAt, told.today),
    isImageOfAnother: image !== null && image.computer !== computer.tag,
  };
}
