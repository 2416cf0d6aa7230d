import { givesOf } from "../callout/gives";
import type { Happening } from "../callout/happenings";
import { type CallOutFacts, lostBy, type Offer, offersFor } from "../callout/offers";
import type { Lost } from "../callout/record";
import { type RunSheetInput, sheetSteps } from "../callout/run-sheet";
import type { Step } from "../callout/step";
import { timesOf, totalOf } from "../callout/times";
import type { Need } from "../cover/policy";
import { Serving } from "../cover/serving";
import { type NeedStanding, standingOf } from "../cover/standing";
import { judgePair, surroundingsOf } from "../fleet/judge";
import { type NextImage, nextImage } from "../images/contents";
import { writtenDisk } from "../judging/links/target";
import type { ComputerPart } from "../judging/model/parts";
import { ON_THE_DAY, type OutcomeKind } from "../judging/routes/outcome";
import { type PhasedChange, phasedChanges } from "../judging/routes/phases";
import { type Route, rankRoutes } from "../judging/routes/routes";
import type { Range } from "../kernel/range";
import type { ReadWorld } from "./read";

/** What is asked of a world; what is left out is asked of all. */
export interface Question {
  computer?: string | undefined;
  medium?: string | undefined;
  outcome?: OutcomeKind | undefined;
  image?: string | undefined;
  happening?: Happening | undefined;
  /** ISO day from which on the fault may have been there. */
  since?: string | undefined;
}

export interface JudgedRoute {
  route: Route;
  changes: PhasedChange[];
  steps: Step[];
  /** Until it is handed back, and the least that giving back alone takes. */
  seconds: Range;
  restoreLeast: number;
  lost: Lost | null;
}

/** Every route of the computers that are asked for, best first; after a happening those that a call-out offers. */
export function judgedRoutes(read: ReadWorld, question: Question): JudgedRoute[] {
  const { world } = read;
  const onTheDay = question.happening !== undefined || ON_THE_DAY.some((kind) => kind === question.outcome);
  const around = { ...surroundingsOf(world), onTheDay };
  const media = world.media.filter(({ part }) => !question.medium || part.tag === question.medium);
  return world.computers
    .filter(({ tag }) => !question.computer || tag === question.computer)
    .flatMap((computer) => {
      const facts = calloutFacts(read, computer, question);
      const routes = media.flatMap((medium) => judgePair(around, computer, medium));
      const ranked = question.happening ? withoutLess(offersFor(routes, facts).offers, question) : rankRoutes(routes);
      return ranked.filter((route) => isAsked(route, question)).map((route) => judged(read, computer, route, facts));
    });
}

/** Files out of an image are told by themselves where it does not come back whole, or where they are asked for. */
function withoutLess(offers: Offer[], { outcome }: Question): Route[] {
  const wholeImages = new Set(offers.flatMap((each) => (each.outcome === "image" ? each.image : [])));
  const isLess = (each: Offer) => each.outcome === "image-files" && outcome !== "image-files";
  return offers.filter((each) => !isLess(each) || !wholeImages.has(each.image)).map(({ route }) => route);
}

function isAsked({ outcome }: Route, { outcome: kind, image }: Question): boolean {
  return (!kind || outcome?.kind === kind) && (!image || outcome?.image?.id === image);
}

function calloutFacts(
  { world, ways }: ReadWorld,
  computer: ComputerPart,
  { happening, since }: Question,
): CallOutFacts {
  // A computer that took the place of another one goes by that one's images.
  const own = computer.imagesOf ?? computer.tag;
  return {
    happening: happening ?? "does-not-start",
    ...{ since: since ?? null, today: world.today, past: {}, oldDisk: computer.oldDisk ?? null },
    minutesTo: (site) => ways.minutes(site, computer.site),
    points: world.images
      // Parents are needed whoever they are of: an increment goes back over its whole lineage.
      .filter((image) => image.computer === own || world.images.some((each) => each.parent === image.id))
      .map(({ id, computer: of, takenAt, kind, parent, verified, lost, storedBytes, usedBytes }) => ({
        ...{ id, computer: of, takenAt, kind, parent, verified, isThere: lost !== true },
        ...{ storedBytes: storedBytes ?? null, usedBytes: usedBytes ?? null, link: null },
      })),
  };
}

function judged(read: ReadWorld, computer: ComputerPart, route: Route, facts: CallOutFacts): JudgedRoute {
  const changes = phasedChanges(route);
  const { outcome } = route;
  const kind = outcome?.kind ?? null;
  const image = outcome?.image ?? null;
  const bus = writtenDisk(computer, changes)?.bus ?? null;
  const times = kind === null ? null : timesOf(route, kind, facts, bus);
  const gives = givesOf(computer, route, { today: facts.today, happening: facts.happening, times });
  return {
    ...{ route, changes },
    steps: sheetSteps({ ...sheetOf(read, computer, route, changes), gives }),
    seconds: times === null ? NO_TIME : totalOf(times),
    restoreLeast: times?.restoring.low ?? 0,
    lost: kind === null ? null : lostBy(kind, image, facts),
  };
}

const NO_TIME: Range = { low: 0, likely: 0, high: 0 };

function sheetOf(
  { kinds, world }: ReadWorld,
  { tag, site, facts }: ComputerPart,
  route: Route,
  changes: PhasedChange[],
): Omit<RunSheetInput, "gives"> {
  const medium = world.media.find(({ part }) => part.tag === route.medium)?.part;
  return {
    computer: { tag, name: null, siteName: site, facts },
    medium: {
      ...{ tag: route.medium, name: null, kind: kinds.get(route.medium) ?? "usb" },
      ...{ siteName: medium?.site ?? null, lentTo: medium?.lentTo ?? null },
      ...{ loads: route.release === null ? [] : [route.release] },
    },
    ...{ as: route.as, starts: route.links.starts, changes, keyCard: null },
  };
}

export interface PolicyAnswer {
  computer: string;
  met: boolean;
  lacks: { need: Need; have: number; wanted: number; unproven: string[]; oldImage: string | null }[];
}

/** For each computer whether it has what its policy asks for. */
export function policyAnswers({ world, ways, policyOf }: ReadWorld, computer?: string): PolicyAnswer[] {
  const serving = new Serving(world, world.media);
  return world.computers.flatMap((each, row): PolicyAnswer[] => {
    if (computer && each.tag !== computer) return [];
    // What is met is not told: the answer is the list of what lacks.
    const needs = standingOf(serving, ways, each, row, policyOf(each)).filter(
      ({ have, wanted }) => have.length < wanted,
    );
    const lack = ({ need, have, wanted, unproven, oldImage }: NeedStanding) => ({
      ...{ need, have: have.length, wanted, oldImage },
      unproven: unproven.flatMap((at) => world.media[at]?.part.tag ?? []),
    });
    return [{ computer: each.tag, met: needs.length === 0, lacks: needs.map(lack) }];
  });
}

/** What the next image of each computer holds. */
export function imagePlans({ world }: ReadWorld, computer?: string): { computer: string; plan: NextImage }[] {
  return world.computers
    .filter(({ tag }) => !computer || tag === computer)
    .map(({ tag, facts, toldDisk }) => ({ computer: tag, plan: nextImage(facts, toldDisk ?? null) }));
}
