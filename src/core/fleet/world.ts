import type { CarriedDriver } from "../judging/links/sees";
import { compareText } from "../judging/links/versions";
import type { ComputerPart, DrillPart, ImagePart, MediumPart, PolicyPart, ReleasePart } from "../judging/model/parts";
import type { Finding } from "../medium/findings/findings";
import type { Attachment, Views } from "../medium/inspection/schema";

/** A medium as a fleet's matrix needs it. */
export interface FleetMedium {
  part: MediumPart;
  /** How it is attached; null: either way. */
  as: Attachment | null;
  /** What firmware makes of it; null where nothing was read from it. Media with the same key are judged once. */
  views: { key: string; views: Views } | null;
  /** What was found wrong with it as a whole. */
  fault: Finding | null;
  releases: ReleasePart[];
}

/** Everything that chains are judged from. Nothing in it is changed by judging. */
export interface World {
  computers: ComputerPart[];
  media: FleetMedium[];
  /** Every release of the inventory, for drivers that can be carried along. */
  releases: { part: ReleasePart; media: string[] }[];
  images: ImagePart[];
  drills: DrillPart[];
  policy: PolicyPart;
  /** What is asked of one computer, where that differs; computers are told by tag, place, form and model. */
  policyFor?: (computer: ComputerPart) => PolicyPart;
  /** ISO day. */
  today: string;
  /** When a product's version came out, as release calendars tell. */
  releasedOn: (name: string, version: string | null) => string | null;
}

/**
 * A driver for a device on another release whose drivers this one can take: loose .inf files for an environment of
 * the same family and architecture. A kernel takes none but its own (common practice).
 */
export function carriedDriver(
  world: Pick<World, "releases">,
  modalias: string,
  release: ReleasePart,
): CarriedDriver | null {
  if (release.family?.toLowerCase() !== "pe") return null;
  const others = world.releases.filter(({ part }) => part.name !== release.name && part.drivers !== null);
  for (const { part, media } of others.sort((a, b) => compareText(a.part.name, b.part.name))) {
    for (const { driver, source } of part.drivers?.claimants(modalias) ?? []) {
      if (source.kind !== "inf") continue;
      if (source.arch !== null && release.arch !== null && source.arch !== release.arch) continue;
      return {
        modalias,
        driver,
        path: source.path,
        release: part.name,
        medium: [...media].sort(compareText)[0] ?? null,
      };
    }
  }
  return null;
}
