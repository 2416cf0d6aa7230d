import { writtenDisk } from "../judging/links/target";
import type { ComputerPart } from "../judging/model/parts";
import type { Route } from "../judging/routes/routes";
import { daysBetween } from "../kernel/days";
import { type Gives, sheetDisk } from "./run-sheet";

/** What a route gives back, as its sheet needs it; null where that is not recorded. */
export function givesOf(
  computer: Pick<ComputerPart, "tag" | "facts" | "toldDisk" | "oldDisk">,
  { outcome, release, links, fates }: Pick<Route, "outcome" | "release" | "links" | "fates">,
  told: { today: string } & Partial<Pick<Gives, "times" | "happening">>,
): Gives | null {
  if (outcome === null) return null;
  const { image, kind } = outcome;
  const disk = writtenDisk(computer, links.restores.changes);
  return {
    ...{ outcome: kind, release, isTargetNew: Boolean(computer.toldDisk) },
    target: disk && sheetDisk(disk),
    more: (fates ?? []).map((fate) => ({
      ...{ of: fate.of.name, state: fate.state },
      disk: "disk" in fate ? sheetDisk(fate.disk) : null,
    })),
    oldDisk: computer.oldDisk ? sheetDisk(computer.oldDisk) : null,
    image: image && { name: image.id, takenAt: image.takenAt, places: image.places, keyPlace: image.keyPlace },
    drivers: links.sees.changes.flatMap(({ setting, to }) => (setting === "driver" ? [to] : [])),
    ...{ times: told.times ?? null, happening: told.happening ?? null },
    imageDays: image && daysBetween(image.takenAt, told.today),
    isImageOfAnother: image !== null && image.computer !== computer.tag,
  };
}
