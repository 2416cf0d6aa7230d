import { lineagesOf } from "../images/lineage";
import { compareText } from "../judging/links/versions";
import { compareVerdicts } from "../judging/model/order";
import { LINK_NAMES, type LinkName, type Verdict } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import type { Route } from "../judging/routes/routes";
import { daysBetween } from "../kernel/days";
import type { Range } from "../kernel/range";
import { type Happening, sensibleOutcomes } from "./happenings";
import type { Lost } from "./record";
import { type TimeFacts, type Times, timesOf, totalOf } from "./times";

/** One way to bring the computer back after what happened: how long it takes, what is lost, what to fetch. */
export interface Offer<R extends Route = Route> {
  route: R;
  outcome: OutcomeKind;
  /** Seconds until it is handed back. */
  seconds: Range;
  /** The same, part by part. */
  times: Times;
  /** Days of data that are lost with it; 0: none; null: all that is on the computer. */
  lostDays: number | null;
  lost: Lost;
  /** The image that is put back, by its name. */
  image: string | null;
}

/** Why an image of the computer is not offered. */
export interface PassedOver {
  image: string;
  takenAt: string;
  why: "after-the-fault" | "not-usable";
}

/** A way that would make sense after what happened, and does not go: by which link. */
export interface RefusedWay<R extends Route = Route> {
  route: R;
  outcome: OutcomeKind;
  image: string | null;
  link: LinkName;
}

/** What offers go by: what happened, and what is known of the time that each way takes. */
export interface CallOutFacts extends TimeFacts {
  happening: Happening;
  /** ISO day from which on the fault may have been there; null where it does not matter, or is not known. */
  since: string | null;
  today: string;
}

/** Offers after what happened, the best first; routes that are broken are left out. */
export function offersFor<R extends Route>(
  routes: readonly R[],
  facts: CallOutFacts,
): { offers: Offer<R>[]; passedOver: PassedOver[]; refused: RefusedWay<R>[] } {
  const order = sensibleOutcomes(facts.happening);
  const lineages = lineagesOf(facts.points);
  const passedOver: PassedOver[] = [];
  const isYoung = (takenAt: string) => facts.since !== null && takenAt.slice(0, 10) >= facts.since;
  for (const { id, takenAt } of facts.points) {
    if (isYoung(takenAt)) passedOver.push({ image: id, takenAt, why: "after-the-fault" });
    else if (lineages.get(id)?.state === "unusable") passedOver.push({ image: id, takenAt, why: "not-usable" });
  }
  const left = new Set(passedOver.map(({ image }) => image));
  const offers = routes.flatMap((route): Offer<R>[] => {
    const outcome = route.outcome?.kind;
    if (!outcome || !order.includes(outcome) || verdictNow(route, facts.happening) === "broken") return [];
    const image = route.outcome?.image ?? null;
    if (image && left.has(image.id)) return [];
    const lost = lostBy(outcome, image, facts);
    const times = timesOf(route, outcome, facts);
    const lostDays = "days" in lost ? lost.days : lost.code === "everything" ? null : 0;
    return [
      {
        route,
        outcome,
        ...{ seconds: totalOf(times), times },
        ...{ lostDays, lost },
        image: image?.id ?? null,
      },
    ];
  });
  offers.sort(
    (a, b) =>
      readiness(a.route, facts) - readiness(b.route, facts) ||
      order.indexOf(a.outcome) - order.indexOf(b.outcome) ||
      verifiedFirst(a, b, lineages) ||
      (a.lostDays ?? Number.MAX_SAFE_INTEGER) - (b.lostDays ?? Number.MAX_SAFE_INTEGER) ||
      compareVerdicts(verdictNow(a.route, facts.happening), verdictNow(b.route, facts.happening)) ||
      a.seconds.likely - b.seconds.likely ||
      compareText(a.route.medium, b.route.medium),
  );
  const refused = routes.flatMap((route): RefusedWay<R>[] => {
    const outcome = route.outcome?.kind;
    if (!outcome || !order.includes(outcome) || verdictNow(route, facts.happening) !== "broken") return [];
    const image = route.outcome?.image?.id ?? null;
    return image !== null && left.has(image) ? [] : [{ route, outcome, image, link: brokenLink(route) }];
  });
  refused.sort(
    (a, b) => order.indexOf(a.outcome) - order.indexOf(b.outcome) || compareText(a.route.medium, b.route.medium),
  );
  return { offers, passedOver, refused };
}

/** The first link, in the order in which they are needed, that rules a way out. */
function brokenLink({ links }: Route): LinkName {
  return LINK_NAMES.find((name) => links[name].verdict === "broken") ?? "restores";
}

/**
 * What is known to work before what is not: a change that is made on the day is no demerit, and neither is a store that
 * is attached. After a fault that may have been there for long no image is known to be from before it.
 */
function readiness(route: Route, { happening, since }: CallOutFacts): number {
  const isDayOpen = happening === "malware" && since === null && route.outcome?.kind === "image";
  return verdictNow(route, happening) === "unknown" || isDayOpen ? 1 : 0;
}

/** What is lost; lost files that are copied out of an image leave the rest as it is. */
export function lostBy(
  outcome: OutcomeKind,
  image: { takenAt: string } | null,
  { happening, today }: { happening: Happening | null; today: string },
): Lost {
  const on = image?.takenAt.slice(0, 10);
  const code =
    outcome === "system" ? "system-since-image" : outcome === "image-files" ? "files-since-image" : "since-image";
  if (on !== undefined) return { code, on, days: daysBetween(on, today) };
  if (outcome === "start-up" || outcome === "partitions" || outcome === "copy") return { code: "nothing" };
  if (outcome === "files") return { code: happening === "files-lost" ? "overwritten" : "all-but-files" };
  return { code: "everything" };
}

/** The newest verified image before a newer one that never was. */
function verifiedFirst(a: Offer, b: Offer, lineages: ReturnType<typeof lineagesOf>): number {
  const rank = ({ image }: Offer) => (image === null || lineages.get(image)?.state === "usable" ? 0 : 1);
  return rank(a) - rank(b);
}

const DISK_GONE: readonly Happening[] = ["disk-gone", "new-disk", "new-computer"];

/** What counts on the day: that a medium lies elsewhere or was never tried is a matter of time, not of whether it goes. */
export function verdictNow({ links, outcome, opens, isEntry }: Route, happening: Happening | null = null): Verdict {
  // Lost files are taken out of an image: whether it would fit the disk does not matter.
  const isOpened = happening === "files-lost" && outcome?.kind === "image";
  const restores = isOpened ? (opens ?? links.restores.verdict) : links.restores.verdict;
  const needed = [links.starts.verdict, links.sees.verdict, restores];
  const worst = needed.reduce((top, verdict) => (compareVerdicts(verdict, top) > 0 ? verdict : top));
  // One that failed when it was tried here fails again; whatever is not at hand at all is no help.
  if (links.proven.verdict === "broken" || links.atHand.verdict === "broken") return "broken";
  if (isEntry && happening !== null && happening !== "files-lost") {
    // What starts it is on the disk: gone with it, and in doubt where that disk does not start any more.
    if (DISK_GONE.includes(happening)) return "broken";
    return worst === "broken" ? worst : "unknown";
  }
  return worst;
}
