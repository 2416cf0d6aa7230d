import type { DiskFacts } from "../computer/facts/schema";
import { type LinkKind, type PastJob, type Range, secondsFor, USUAL_RATES } from "../images/forecast";
import { lineagesOf, type StoredPoint } from "../images/lineage";
import { compareText } from "../judging/links/versions";
import { compareVerdicts } from "../judging/model/order";
import { LINK_NAMES, type LinkName, type Verdict } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import type { Route } from "../judging/routes/routes";
import { daysBetween } from "../kernel/days";
import { itemAt, lastOf } from "../kernel/item-at";
import { type Happening, sensibleOutcomes } from "./happenings";
import type { Lost } from "./record";

/** One way to bring the computer back after what happened: how long it takes, what is lost, what to fetch. */
export interface Offer<R extends Route = Route> {
  route: R;
  outcome: OutcomeKind;
  /** Seconds until it is handed back. */
  seconds: Range;
  /** Seconds of these that giving back itself takes. */
  restoreSeconds: Range;
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

export interface CallOutFacts {
  happening: Happening;
  /** ISO day from which on the fault may have been there; null where it does not matter, or is not known. */
  since: string | null;
  today: string;
  /** Minutes from a site to where the computer is; null: no way is known. */
  minutesTo?: (site: string) => number | null;
  /** The bus of the disk that is written to, as far as the computer's facts tell it. */
  targetBus?: string | null;
  /** The disk in whose place another one was put, while it can still be read. */
  oldDisk?: Pick<DiskFacts, "bytes" | "bus" | "partitions"> | null;
  /** Points in time of the computer. */
  points: readonly (StoredPoint & { storedBytes: number | null; usedBytes: number | null; link: LinkKind | null })[];
  /** Call-outs of the past with the same outcome on the same model, in seconds. */
  past: Partial<Record<OutcomeKind, readonly number[]>>;
}

const MINUTE = 60;
/** Until the medium is there, by its distance: at the same site, at another, not recorded, lent. Common practice. */
const FETCHING: Range[] = [
  { low: 2 * MINUTE, likely: 5 * MINUTE, high: 15 * MINUTE },
  { low: 30 * MINUTE, likely: 60 * MINUTE, high: 180 * MINUTE },
  { low: 5 * MINUTE, likely: 60 * MINUTE, high: 240 * MINUTE },
  { low: 60 * MINUTE, likely: 180 * MINUTE, high: 480 * MINUTE },
];
/** Power, set-up and start. Common practice. */
const STARTING: Range = { low: 4 * MINUTE, likely: 8 * MINUTE, high: 20 * MINUTE };
/** What an outcome takes itself where nothing was measured. Common practice. */
const USUAL: Record<OutcomeKind, Range> = {
  copy: { low: 20 * MINUTE, likely: 90 * MINUTE, high: 480 * MINUTE },
  image: { low: 10 * MINUTE, likely: 45 * MINUTE, high: 240 * MINUTE },
  system: { low: 10 * MINUTE, likely: 30 * MINUTE, high: 180 * MINUTE },
  reinstall: { low: 45 * MINUTE, likely: 90 * MINUTE, high: 180 * MINUTE },
  factory: { low: 30 * MINUTE, likely: 60 * MINUTE, high: 150 * MINUTE },
  "start-up": { low: 5 * MINUTE, likely: 20 * MINUTE, high: 60 * MINUTE },
  partitions: { low: 10 * MINUTE, likely: 40 * MINUTE, high: 180 * MINUTE },
  files: { low: 20 * MINUTE, likely: 60 * MINUTE, high: 240 * MINUTE },
  "image-files": { low: 10 * MINUTE, likely: 40 * MINUTE, high: 240 * MINUTE },
};
/** Updates, drivers and a look at the applications. Common practice. */
const FINISHING: Partial<Record<OutcomeKind, Range>> = {
  copy: { low: 10 * MINUTE, likely: 20 * MINUTE, high: 40 * MINUTE },
  image: { low: 10 * MINUTE, likely: 25 * MINUTE, high: 60 * MINUTE },
  system: { low: 10 * MINUTE, likely: 25 * MINUTE, high: 60 * MINUTE },
  reinstall: { low: 40 * MINUTE, likely: 90 * MINUTE, high: 240 * MINUTE },
  factory: { low: 40 * MINUTE, likely: 90 * MINUTE, high: 240 * MINUTE },
};
/** From so many call-outs of the past on they speak for themselves. */
const PAST_LEAST = 3;

const NONE: Range = { low: 0, likely: 0, high: 0 };
const sum = (...ranges: Range[]): Range =>
  ranges.reduce(
    (all, { low, likely, high }) => ({ low: all.low + low, likely: all.likely + likely, high: all.high + high }),
    NONE,
  );

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
    const lostDays = "days" in lost ? lost.days : lost.code === "everything" ? null : 0;
    return [
      {
        route,
        outcome,
        seconds: secondsOf(route, outcome, facts),
        restoreSeconds: restoreSeconds(route, outcome, facts, facts.targetBus ?? null),
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

/** Until the computer is handed back: fetching, starting, giving back, finishing. `target`: the bus of the disk written to. */
export function secondsOf(
  route: Route,
  outcome: OutcomeKind,
  facts: CallOutFacts,
  target = facts.targetBus ?? null,
): Range {
  const fetching = fetchingOf(route, facts);
  const pastSeconds = facts.past[outcome] ?? [];
  if (pastSeconds.length >= PAST_LEAST) {
    const sorted = [...pastSeconds].sort((a, b) => a - b);
    const term = {
      low: itemAt(sorted, 0),
      likely: itemAt(sorted, sorted.length >> 1),
      high: lastOf(sorted),
    };
    return sum(fetching, term);
  }
  return sum(fetching, STARTING, restoreSeconds(route, outcome, facts, target), FINISHING[outcome] ?? NONE);
}

/** Until the medium is there: by the travel table where it is at another site that the table knows. */
function fetchingOf({ distance, links }: Route, { minutesTo }: CallOutFacts): Range {
  const usual = FETCHING[distance] ?? itemAt(FETCHING, 2);
  const from = links.atHand.changes.find(({ setting }) => setting === "place")?.from;
  const minutes = distance === 1 && from !== undefined ? (minutesTo?.(from) ?? null) : null;
  if (minutes === null) return usual;
  // There and back are two ways, but for whoever comes from there.
  return { low: minutes * MINUTE, likely: 2 * minutes * MINUTE, high: 3 * minutes * MINUTE };
}

/** What giving back itself takes: of an image with all that it builds on, as fast as the slower of store and target. */
export function restoreSeconds(
  route: Pick<Route, "outcome">,
  outcome: OutcomeKind,
  { points, happening, oldDisk }: CallOutFacts,
  target: string | null,
): Range {
  if (outcome === "copy" && oldDisk) return copySeconds(oldDisk, target);
  if (!READS_IMAGE.has(outcome) || happening === "files-lost") return USUAL[outcome === "image" ? "files" : outcome];
  const byId = new Map(points.map((point) => [point.id, point]));
  const parts = lineagesOf(points).get(route.outcome?.image?.id ?? "")?.parts ?? [];
  const chain = parts.flatMap((id) => byId.get(id) ?? []);
  const full = chain.at(-1);
  const stored = chain.map(({ storedBytes }) => storedBytes);
  if (!full || stored.some((bytes) => bytes === null)) return USUAL[outcome];
  const bytes = stored.reduce<number>((all, each) => all + (each ?? 0), 0);
  const used = chain[0]?.usedBytes ?? full.usedBytes ?? bytes * USUAL_UNPACKED;
  const jobs: PastJob[] = [];
  return secondsFor(
    [
      { bytes: exactly(bytes), rate: USUAL_RATES[chain[0]?.link ?? "usb3"] },
      { bytes: exactly(used), rate: target === "nvme" ? USUAL_RATES.internal : USUAL_RATES["hard-disk"] },
    ],
    jobs,
  );
}

const READS_IMAGE: ReadonlySet<OutcomeKind> = new Set(["image", "system"]);

/** From one disk to the other, what is in use at the least, and all of it at the most; as fast as the slower of them. */
function copySeconds({ bytes, bus, partitions }: NonNullable<CallOutFacts["oldDisk"]>, target: string | null): Range {
  const used = partitions.reduce<number | null>(
    (sum, { usedBytes }) => (sum === null || usedBytes == null ? null : sum + usedBytes),
    0,
  );
  const least = used === null || used === 0 ? bytes : Math.min(used, bytes);
  const amount: Range = { low: least, likely: least, high: bytes };
  const rateOf = (on: string | null) => (on === "nvme" ? USUAL_RATES.internal : USUAL_RATES["hard-disk"]);
  return secondsFor(
    [bus, target].map((on) => ({ bytes: amount, rate: rateOf(on) })),
    [],
  );
}

/** Of a stored byte so many come out, where nobody recorded it. Common practice. */
const USUAL_UNPACKED = 1.6;

const exactly = (bytes: number): Range => ({ low: bytes, likely: bytes, high: bytes });
