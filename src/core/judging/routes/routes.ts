import type { Attachment } from "../../medium/inspection/schema";
import { judgeAtHand } from "../links/at-hand";
import { judgeCopy, judgePartitions } from "../links/disks";
import { judgeFactory } from "../links/factory";
import { type DiskFate, diskFates } from "../links/more-disks";
import { judgeProven } from "../links/proven";
import { judgeReinstall } from "../links/reinstall";
import { judgeRepair, judgeRescue } from "../links/repair";
import {
  copiesOf,
  hasMoreThanSystem,
  type ImageInput,
  judgeImage,
  judgeOpening,
  judgeSystemPartition,
} from "../links/restore-image";
import { all, best, linkOf, type Ruling, unknown } from "../links/ruling";
import { type CarriedDriver, judgeSees } from "../links/sees";
import { writtenDisk } from "../links/target";
import { compareText } from "../links/versions";
import { compareVerdicts } from "../model/order";
import type { ComputerPart, DrillPart, ImagePart, MediumPart, PolicyPart, ReleasePart } from "../model/parts";
import {
  type Change,
  LINK_NAMES,
  type Link,
  type LinkName,
  type Links,
  ofEachLink,
  type Verdict,
} from "../model/schema";
import { OUTCOMES, type Outcome, type OutcomeKind, outcomesOf, outcomesOnTheDay } from "./outcome";

/** One way to bring one computer back: a medium, what runs from it, and what it gives back. */
export interface Route {
  computer: string;
  medium: string;
  as: Attachment;
  /** Null where it is not recorded what the medium carries. */
  release: string | null;
  /** Null where it is not recorded what the release gives back. */
  outcome: Outcome | null;
  links: Links;
  weakest: Verdict;
  /** An entry on the computer's own disk. */
  isEntry?: boolean;
  /** 0 where the computer is, 1 at another site, 2 not recorded, 3 lent. */
  distance: number;
  /** The day that what it gives back is of, ISO: the image's, or the release's; null where that is not known. */
  madeOn: string | null;
  /** Of an image that does not simply go back: whether files can be taken out of it. */
  opens?: Verdict;
  /** Of an image of several disks: what comes of those beside the first. */
  fates?: DiskFate[];
}

/** What the rest of the inventory knows that a route may need. */
export interface Surroundings extends GiveSurroundings {
  /** Drills of a medium, by its tag. */
  drillsOf: (medium: string) => DrillPart[];
  policy: PolicyPart;
  policyFor?: ((computer: ComputerPart) => PolicyPart) | undefined;
  /** ISO day. */
  today: string;
}

export interface GiveSurroundings {
  /** Images of a computer, by its tag. */
  imagesOf: (computer: string) => ImagePart[];
  imageById: (id: string) => ImagePart | null;
  /** A medium by its tag: where an image lies on another one. */
  mediumByTag?: (tag: string) => MediumPart | null;
  /** A driver for a device, on another release that this one can take drivers from. */
  carried: (modalias: string, release: ReleasePart) => CarriedDriver | null;
  /** When a computer's system came out, as release calendars tell. */
  systemReleasedOn: (computer: ComputerPart) => string | null;
  /** Something happened: what makes sense only then is judged too. */
  onTheDay?: boolean;
  /** The Sees link where it is known already: the same for all computers with the same devices. */
  sees?: (computer: ComputerPart, release: ReleasePart, network: boolean, as: Attachment) => Ruling;
}

export interface MediumOnComputer {
  computer: ComputerPart;
  medium: MediumPart;
  as: Attachment;
  starts: Link;
  releases: ReleasePart[];
}

/** What one release gives back on one computer, with the two links that depend on it. */
export interface Give {
  release: string | null;
  outcome: Outcome | null;
  sees: Ruling;
  restores: Ruling;
  madeOn: string | null;
}

/** The links that all routes of one medium on one computer share. */
export type CommonLinks = Pick<Links, "atHand" | "starts" | "proven">;

/** Every route that a medium offers a computer, unranked. Pure; the same in any order of what is around. */
export function routesOn(given: MediumOnComputer, around: Surroundings): Route[] {
  const { computer, medium, as, starts, releases } = given;
  const { today } = around;
  const policy = around.policyFor?.(computer) ?? around.policy;
  const drills = around.drillsOf(medium.tag);
  const common: CommonLinks = {
    atHand: linkOf(judgeAtHand(computer, medium)),
    starts,
    proven: linkOf(judgeProven({ computer, medium, drills, policy, today })),
  };
  const gives =
    releases.length === 0
      ? [NOTHING_RECORDED]
      : releases.flatMap((release) => givesOf(computer, medium, release, { as, starts }, around));
  const opensOf = ({ release: name, outcome, restores }: Give): { opens?: Verdict } => {
    const release = releases.find((each) => each.name === name);
    if (!release || outcome?.kind !== "image" || !outcome.image || restores.verdict === "holds") return {};
    const { imageById, mediumByTag } = around;
    return { opens: judgeOpening({ computer, medium, release, image: outcome.image, imageById, mediumByTag }).verdict };
  };
  const fatesOf = ({ release: name, outcome, restores }: Give): { fates?: DiskFate[] } => {
    const release = releases.find((each) => each.name === name);
    if (!release || outcome?.kind !== "image" || !outcome.image?.moreDisks?.length) return {};
    const target = writtenDisk(computer, restores.changes);
    return { fates: diskFates({ computer, image: outcome.image, release, target }) };
  };
  return gives.map((give) => ({
    ...routeOf(give, common),
    ...opensOf(give),
    ...fatesOf(give),
    computer: computer.tag,
    medium: medium.tag,
    as,
    ...(medium.kind === "entry" ? { isEntry: true } : {}),
    distance: distanceOf(computer, medium),
  }));
}

/** What a medium gives back of which nobody recorded what it carries. */
export const NOTHING_RECORDED: Give = {
  release: null,
  outcome: null,
  sees: unknown({ code: "release-not-recorded" }),
  restores: unknown({ code: "release-not-recorded" }),
  madeOn: null,
};

/** A route with the links that are shared and those of its own. */
function routeOf(give: Give, common: CommonLinks): Omit<Route, "computer" | "medium" | "as" | "distance"> {
  const links: Links = { ...common, sees: linkOf(give.sees), restores: linkOf(give.restores) };
  const { release, outcome, madeOn } = give;
  return { release, outcome, links, weakest: weakestOf(links), madeOn };
}

/** How a medium comes up on a computer, as far as what it gives back depends on it. */
export interface ComesUp {
  as: Attachment;
  starts: Pick<Link, "changes">;
}

/** Everything that a release gives back on a computer: an outcome each, for images one each. */
export function givesOf(
  computer: ComputerPart,
  medium: Pick<MediumPart, "tag" | "site">,
  release: ReleasePart,
  up: ComesUp,
  around: GiveSurroundings,
): Give[] {
  const give = (outcome: Outcome | null, restores: Ruling, network = false): Give => ({
    release: release.name,
    outcome,
    sees: seesOf(computer, release, network, up.as, around),
    restores,
    madeOn: outcome?.image?.takenAt.slice(0, 10) ?? release.madeOn,
  });
  const kinds = [...outcomesOf(release), ...(around.onTheDay ? outcomesOnTheDay(release) : [])];
  if (kinds.length === 0) return [give(null, unknown({ code: "nothing-to-restore", release: release.name }))];
  return kinds.flatMap((kind) =>
    judged(kind, { computer, medium, release, up }, around).map(({ image, ruling, network }) =>
      // Without an image there is nothing that could come back as of a day.
      give(OF_IMAGES.has(kind) && !image ? null : { kind, image }, ruling, network),
    ),
  );
}

function seesOf(
  computer: ComputerPart,
  release: ReleasePart,
  needsNetwork: boolean,
  as: Attachment,
  around: GiveSurroundings,
): Ruling {
  const carried = (modalias: string) => around.carried(modalias, release);
  return (
    around.sees?.(computer, release, needsNetwork, as) ?? judgeSees({ computer, release, as, needsNetwork, carried })
  );
}

/** One judged way of giving something back. */
interface Judged {
  image: ImagePart | null;
  ruling: Ruling;
  network: boolean;
}

interface Giving {
  computer: ComputerPart;
  medium: Pick<MediumPart, "tag" | "site">;
  release: ReleasePart;
  up: ComesUp;
}

function judged(kind: OutcomeKind, giving: Giving, around: GiveSurroundings): Judged[] {
  const {
    computer,
    release,
    up: { starts },
  } = giving;
  const plain = (ruling: Ruling): Judged[] => [{ image: null, ruling, network: false }];
  const repair = { computer, release, systemReleasedOn: around.systemReleasedOn(computer), starts };
  if (OF_IMAGES.has(kind)) return ofImages(giving, around, kind);
  if (kind === "reinstall") return plain(judgeReinstall(computer, release, starts).ruling);
  if (kind === "factory") return plain(judgeFactory(computer, release));
  if (kind === "partitions") return plain(judgePartitions(computer));
  // Without a new disk beside the old one there is nothing to copy.
  if (kind === "copy") return computer.toldDisk && computer.oldDisk ? plain(judgeCopy(computer, release)) : [];
  return plain(kind === "files" ? judgeRescue(repair) : judgeRepair(repair));
}

const OF_IMAGES: ReadonlySet<OutcomeKind> = new Set(["image", "system", "image-files"]);
const JUDGED_BY = { image: judgeImage, system: judgeSystemPartition, "image-files": judgeOpening };

/** Images of the computer, each judged on its own: by what is attached, and by the network where that is the better. */
function ofImages({ computer, medium, release, up }: Giving, around: GiveSurroundings, kind: OutcomeKind): Judged[] {
  const judge = JUDGED_BY[kind as keyof typeof JUDGED_BY];
  if (kind === "system" && !hasMoreThanSystem(computer)) return [];
  const { imagesOf, imageById, mediumByTag } = around;
  const ownImages = imagesOf(computer.tag);
  if (ownImages.length === 0 && kind !== "image") return [];
  if (ownImages.length === 0) return [{ image: null, ruling: unknown({ code: "no-image-recorded" }), network: false }];
  return ownImages.map((image) => {
    const input: ImageInput = { computer, medium, release, image, imageById, mediumByTag, starts: up.starts };
    const { onShares, elsewhere } = copiesOf(input);
    if (!onShares) return { image, ruling: judge({ ...input, network: false }), network: false };
    if (!elsewhere) return { image, ruling: judge(input), network: true };
    const ways = [false, true].map((network) => {
      const ruling = judge({ ...input, network });
      return { network, ruling, both: all([ruling, seesOf(computer, release, network, up.as, around)]) };
    });
    const way = best(ways, ({ both }) => both);
    return { image, ruling: way?.ruling ?? judge(input), network: way?.network ?? false };
  });
}

/** How far a medium is from a computer, as `Route.distance` counts it. */
export function distanceOf(computer: ComputerPart, medium: MediumPart): number {
  if (medium.kind === "entry") return medium.onComputer === computer.tag ? 0 : 3;
  if (medium.lentTo !== null) return 3;
  if (medium.site === null || computer.site === null) return 2;
  return medium.site === computer.site ? 0 : 1;
}

/** The verdicts of all links by name. */
export function verdictsOf(links: Links): Record<LinkName, Verdict> {
  return ofEachLink((name) => links[name].verdict);
}

/** A route is as good as its weakest link. */
export function weakestOf(links: Links): Verdict {
  return LINK_NAMES.map((name) => links[name].verdict).reduce((worst, each) =>
    compareVerdicts(each, worst) > 0 ? each : worst,
  );
}

/** The first of the links, in the order in which they are needed, that is as bad as the worst. */
export function weakLink(links: Links): LinkName {
  const weakest = weakestOf(links);
  return LINK_NAMES.find((name) => links[name].verdict === weakest) ?? "proven";
}

/** What a change costs on the day; drills and verifications are for before it. A judgement of ours, in minutes or so. */
const EFFORT: Record<Change["setting"], number> = {
  startOrder: 1,
  usbStart: 2,
  fastBoot: 2,
  keyboard: 2,
  target: 2,
  store: 5,
  secureBoot: 4,
  legacyMode: 5,
  opticalDrive: 10,
  usbPort: 30,
  driver: 15,
  storageMode: 20,
  place: 30,
  attachAs: 40,
  release: 60,
  drill: 0,
  verification: 0,
};

/** What the changes of a route cost together, in the units of `EFFORT`. */
export function effortOf(route: Route): number {
  return LINK_NAMES.reduce(
    (sum, name) => sum + route.links[name].changes.reduce((own, { setting }) => own + EFFORT[setting], 0),
    0,
  );
}

/** By what one route is put before another, in the order in which it counts. */
export type Criterion = "broken" | "outcome" | "weakest" | "links" | "sooner" | "effort" | "distance" | "age" | "name";

const CRITERIA: [Criterion, (a: Route, b: Route) => number][] = [
  // What does not work gives nothing back, however much it would.
  ["broken", (a, b) => Number(a.weakest === "broken") - Number(b.weakest === "broken")],
  ["outcome", (a, b) => rankOf(a.outcome) - rankOf(b.outcome)],
  ["weakest", (a, b) => compareVerdicts(a.weakest, b.weakest)],
  ["links", (a, b) => badness(a) - badness(b)],
  // What gets further before it is in doubt is the better.
  ["sooner", (a, b) => compareInOrder(a, b)],
  ["effort", (a, b) => effortOf(a) - effortOf(b)],
  ["distance", (a, b) => a.distance - b.distance],
  ["age", (a, b) => compareDays(b.madeOn, a.madeOn)],
  ["name", (a, b) => compareText(nameOf(a), nameOf(b))],
];

function rankOf(outcome: Outcome | null): number {
  return outcome ? OUTCOMES.indexOf(outcome.kind) : OUTCOMES.length;
}

/** How many links are how bad: of two routes with the same weakest link the one with fewer such is the better. */
function badness({ links }: Route): number {
  const WEIGHT: Record<Verdict, number> = { holds: 0, "holds-after-change": 1, unknown: 10, broken: 100 };
  return LINK_NAMES.reduce((sum, name) => sum + WEIGHT[links[name].verdict], 0);
}

/** The first link, in the order in which they are needed, in which two routes differ; null where they do not. */
export function firstDifference(a: Route, b: Route): LinkName | null {
  return LINK_NAMES.find((name) => a.links[name].verdict !== b.links[name].verdict) ?? null;
}

function compareInOrder(a: Route, b: Route): number {
  const link = firstDifference(a, b);
  return link === null ? 0 : compareVerdicts(a.links[link].verdict, b.links[link].verdict);
}

/** A day that is not known comes before every other. */
function compareDays(a: string | null, b: string | null): number {
  return compareText(a ?? "", b ?? "");
}

function nameOf({ medium, release, outcome }: Route): string {
  return [medium, release ?? "", outcome?.image?.id ?? ""].join("\0");
}

/** Which of two routes is put first (negative: `a`), and the first criterion by which they differ. */
export function compareRoutes(a: Route, b: Route): { by: Criterion; order: number } {
  for (const [by, compare] of CRITERIA) {
    const order = compare(a, b);
    if (order !== 0) return { by, order };
  }
  return { by: "name", order: 0 };
}

/** The route that answers for a computer: of the surest ones, the one that is ranked first; null where there is none. */
export function answerOf<R extends Route>(routes: R[]): R | null {
  return routes.reduce<R | null>((best, route) => {
    if (best === null) return route;
    const order = compareVerdicts(route.weakest, best.weakest) || compareRoutes(route, best).order;
    return order < 0 ? route : best;
  }, null);
}

export interface RankedRoute extends Route {
  /** By what the one before it is better; null for the first. */
  behind: Criterion | null;
}

/** Best first; each with the reason why it is not before the one before it. The same in any order of input. */
export function rankRoutes(routes: Route[]): RankedRoute[] {
  const sorted = [...routes].sort((a, b) => compareRoutes(a, b).order);
  return sorted.map((route, at) => {
    const before = sorted[at - 1];
    return { ...route, behind: before ? compareRoutes(before, route).by : null };
  });
}
