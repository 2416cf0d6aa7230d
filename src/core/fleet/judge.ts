import { loadsReached } from "../judging/model/loads";
import type { ComputerPart } from "../judging/model/parts";
import type { Reason } from "../judging/model/reasons";
import type { Link } from "../judging/model/schema";
import { betterStart } from "../judging/pair/match";
import { type Route, routesOn, type Surroundings } from "../judging/routes/routes";
import type { Attachment } from "../medium/inspection/schema";
import { carriedDriver, type FleetMedium, type World } from "./world";

/** The Starts link of a medium on a computer, and how it is best attached. */
export function startOf(
  computer: ComputerPart,
  { part, views, as, fault }: FleetMedium,
  today: string | null = null,
): { as: Attachment; starts: Link } {
  // A boot entry is started by the loader that the computer starts from anyway: nothing of a medium is asked.
  if (part.kind === "entry") return { as: as ?? "usb", starts: ENTRY_START };
  if (!views) {
    const starts: Link = {
      verdict: "unknown",
      basis: null,
      changes: [],
      reasons: [{ code: "medium-not-read" }],
      trace: [],
    };
    return { as: as ?? "usb", starts };
  }
  const judged = betterStart(views, computer.facts, as, today);
  // A fault of the file beside a path that is broken anyway would say the same twice.
  if (fault === null || judged.starts.verdict === "broken") return judged;
  const reasons: Reason[] = [...judged.starts.reasons, { code: "medium-fault", fault }];
  return { ...judged, starts: { ...judged.starts, reasons } };
}

/** Firmware starts the computer's own loader, whose menu has the entry. */
const ENTRY_START: Link = {
  ...{ verdict: "holds", basis: null, changes: [], trace: [] },
  reasons: [{ code: "entry-starts" }],
};

/** What is around a pair, looked up quickly; for as long as the world stays as it is. */
export function surroundingsOf(world: World): Surroundings {
  const { images, drills, policy, policyFor, today } = world;
  const imagesByComputer = grouped(images, ({ computer }) => computer);
  // Looked up once for all pairs: a scan of all images for each cell would be the square of the fleet.
  const others = new Map(world.computers.flatMap(({ tag, imagesOf }) => (imagesOf ? [[tag, imagesOf] as const] : [])));
  const imagesById = new Map(images.map((image) => [image.id, image]));
  const mediaByTag = new Map(world.media.map((medium) => [medium.part.tag, medium]));
  const drillsByMedium = grouped(drills, ({ medium }) => medium);
  return {
    imagesOf: (computer) => imagesByComputer.get(others.get(computer) ?? computer) ?? [],
    imageById: (id) => imagesById.get(id) ?? null,
    mediumByTag: (tag) => mediaByTag.get(tag)?.part ?? null,
    drillsOf: (medium) => drillsByMedium.get(medium) ?? [],
    policy,
    policyFor,
    today,
    carried: (modalias, release) => carriedDriver(world, modalias, release),
    systemReleasedOn: ({ facts }) => {
      const system = facts.systems?.[0];
      return system ? world.releasedOn(system.name, system.version) : null;
    },
  };
}

/** Every route of one medium for one computer, with its reasons, unranked. */
export function judgePair(around: Surroundings, computer: ComputerPart, medium: FleetMedium): Route[] {
  const { as, starts } = startOf(computer, medium, around.today);
  const releases = loadsReached(medium.releases, computer.facts, starts);
  return routesOn({ computer, medium: medium.part, as, starts, releases }, around);
}

function grouped<T>(items: T[], keyOf: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const group = groups.get(keyOf(item));
    if (group) group.push(item);
    else groups.set(keyOf(item), [item]);
  }
  return groups;
}
