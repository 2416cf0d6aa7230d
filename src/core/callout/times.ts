import type { DiskFacts } from "../computer/facts/schema";
import { USUAL_RATIO } from "../computer/needs/stored-size";
import { type LinkKind, type Rate, secondsFor, USUAL_RATES } from "../images/forecast";
import { lineagesOf, type StoredPoint } from "../images/lineage";
import type { OutcomeKind } from "../judging/routes/outcome";
import type { Route } from "../judging/routes/routes";
import { itemAt, lastOf } from "../kernel/item-at";
import type { Range } from "../kernel/range";
import type { Happening } from "./happenings";

/** How fast a copy is read. `readRate`: bytes a second, as measured. */
interface CopySpeed {
  link: LinkKind | null;
  readRate?: number | null;
}

/** A point in time, with what tells how long it takes to put back. Bytes. */
type TimedPoint = StoredPoint & {
  storedBytes: number | null;
  usedBytes: number | null;
  /** Its copies by the place that a run sheet names: a medium's tag, a store's name. */
  copies?: readonly (CopySpeed & { place: string })[];
} & CopySpeed;

/** What is known of how long things take. */
export interface TimeFacts {
  happening: Happening | null;
  /** Minutes from a site to where the computer is; null: no way is known. */
  minutesTo?: (site: string) => number | null;
  /** The bus of the disk that is written to, as far as the computer's facts tell it. */
  targetBus?: string | null;
  /** The disk in whose place another one was put, while it can still be read. */
  oldDisk?: Pick<DiskFacts, "bytes" | "bus" | "partitions"> | null;
  /** Points in time of the computer. */
  points: readonly TimedPoint[];
  /** Call-outs of the past with the same outcome on the same model, in seconds. */
  past: Partial<Record<OutcomeKind, readonly number[]>>;
}

/** How long a way takes until the computer is handed back, part by part, in seconds. */
export interface Times {
  /** Until the medium is there. */
  fetching: Range;
  /** Power, set-up and start. Where call-outs of the past tell it, they tell all that follows as one: the others are null. */
  starting: Range | null;
  /** Giving back itself. */
  restoring: Range;
  /** Updates, drivers, and a look at the applications; null: none. */
  finishing: Range | null;
  /** How long such call-outs took before, from the start on; null: too few of them. */
  learned: Range | null;
  /** What would narrow it, the most first. */
  openFacts: OpenFact[];
}

/** A fact that is not recorded and makes an estimate wide. */
export type OpenFact = "image-size" | "store-link" | "disk-use" | "travel";

const MINUTE = 60;
const minutes = (low: number, likely: number, high: number): Range => ({
  ...{ low: low * MINUTE, likely: likely * MINUTE, high: high * MINUTE },
});
/** Until the medium is there, by its distance: at the same site, at another, not recorded, lent. Common practice. */
const FETCHING: Range[] = [minutes(2, 5, 15), minutes(30, 60, 180), minutes(5, 60, 240), minutes(60, 180, 480)];
const NOTHING_TO_FETCH = minutes(0, 0, 0);
/** Common practice. */
const STARTING = minutes(4, 8, 20);
/** What an outcome takes itself where nothing was measured. Common practice. */
const USUAL: Record<OutcomeKind, Range> = {
  copy: minutes(20, 90, 480),
  image: minutes(10, 45, 240),
  system: minutes(10, 30, 180),
  reinstall: minutes(45, 90, 180),
  factory: minutes(30, 60, 150),
  "start-up": minutes(5, 20, 60),
  partitions: minutes(10, 40, 180),
  files: minutes(20, 60, 240),
  "image-files": minutes(10, 40, 240),
};
/** Common practice. */
const FINISHING: Partial<Record<OutcomeKind, Range>> = {
  copy: minutes(10, 20, 40),
  image: minutes(10, 25, 60),
  system: minutes(10, 25, 60),
  reinstall: minutes(40, 90, 240),
  factory: minutes(40, 90, 240),
};
/** From so many call-outs of the past on they speak for themselves. */
const PAST_LEAST = 3;

/** All of it together, in seconds. */
export function totalOf({ fetching, starting, restoring, finishing, learned }: Times): Range {
  const parts = learned ? [fetching, learned] : [fetching, starting, restoring, finishing];
  return parts.reduce<Range>(
    (all, part) => ({
      low: all.low + (part?.low ?? 0),
      likely: all.likely + (part?.likely ?? 0),
      high: all.high + (part?.high ?? 0),
    }),
    NOTHING_TO_FETCH,
  );
}

type TimedRoute = Pick<Route, "outcome" | "distance" | "links" | "isEntry"> & { medium?: string };

/** How long a way takes, part by part. `target`: the bus of the disk that is written to. */
export function timesOf(
  route: TimedRoute,
  outcome: OutcomeKind,
  facts: TimeFacts,
  target = facts.targetBus ?? null,
): Times {
  const fetching = fetchingOf(route, facts);
  const restoring = restoringOf(route, outcome, facts, target);
  const learned = learnedOf(facts.past[outcome] ?? []);
  const openFacts: OpenFact[] = [...(learned ? [] : restoring.openFacts), ...fetching.openFacts];
  return {
    ...{ fetching: fetching.range, restoring: restoring.range, learned, openFacts },
    ...{ starting: STARTING, finishing: FINISHING[outcome] ?? null },
  };
}

function learnedOf(seconds: readonly number[]): Range | null {
  if (seconds.length < PAST_LEAST) return null;
  const sorted = [...seconds].sort((a, b) => a - b);
  return { low: itemAt(sorted, 0), likely: itemAt(sorted, sorted.length >> 1), high: lastOf(sorted) };
}

interface Estimate {
  range: Range;
  openFacts: OpenFact[];
}

/** By the travel table where it is at another site that the table knows. */
function fetchingOf(
  { distance, links, isEntry }: Pick<Route, "distance" | "links" | "isEntry">,
  { minutesTo }: TimeFacts,
): Estimate {
  if (isEntry) return { range: NOTHING_TO_FETCH, openFacts: [] };
  const usual = FETCHING[distance] ?? itemAt(FETCHING, 2);
  if (distance !== 1) return { range: usual, openFacts: [] };
  const from = links.atHand.changes.find(({ setting }) => setting === "place")?.from;
  const way = from === undefined ? null : (minutesTo?.(from) ?? null);
  if (way === null) return { range: usual, openFacts: ["travel"] };
  // There and back are two ways, but for whoever comes from there.
  return { range: minutes(way, 2 * way, 3 * way), openFacts: [] };
}

const READS_IMAGE: ReadonlySet<OutcomeKind> = new Set(["image", "system"]);
/** Of a stored byte so many come out, where nobody recorded it. Common practice. */
const USUAL_UNPACKED = 1.6;
/** A rate that was measured is reached again, or nearly. */
const MEASURED_AGAIN = 0.8;

/** Of an image with all that it builds on, as fast as the slower of store and target. */
function restoringOf(
  route: TimedRoute,
  outcome: OutcomeKind,
  { points, happening, oldDisk }: TimeFacts,
  target: string | null,
): Estimate {
  if (outcome === "copy" && oldDisk) return copying(oldDisk, target);
  if (!READS_IMAGE.has(outcome) || happening === "files-lost")
    return { range: USUAL[outcome === "image" ? "files" : outcome], openFacts: [] };
  const byId = new Map(points.map((point) => [point.id, point]));
  const parts = lineagesOf(points).get(route.outcome?.image?.id ?? "")?.parts ?? [];
  const chain = parts.flatMap((id) => byId.get(id) ?? []);
  const [first] = chain;
  const stored = chain
    .map(storedOf)
    .reduce<Range | null>(
      (all, each) =>
        all && each && { low: all.low + each.low, likely: all.likely + each.likely, high: all.high + each.high },
      { low: 0, likely: 0, high: 0 },
    );
  if (!first || !stored) return { range: USUAL[outcome], openFacts: ["image-size"] };
  const used = first.usedBytes ?? chain.at(-1)?.usedBytes ?? stored.likely * USUAL_UNPACKED;
  const copy = copyReadBy(first, route);
  const openFacts: OpenFact[] = copy.link === null && !copy.readRate ? ["store-link"] : [];
  const range = secondsFor([
    { bytes: stored, rate: readRateOf(copy) },
    { bytes: exactly(used), rate: diskRate(target) },
  ]);
  return { range, openFacts };
}

/** What its files have, or where that is not recorded what such content comes to. */
function storedOf({ storedBytes, usedBytes }: TimedPoint): Range | null {
  if (storedBytes !== null) return exactly(storedBytes);
  if (usedBytes === null) return null;
  const { low, likely, high } = USUAL_RATIO.ratio;
  return { low: usedBytes * low, likely: usedBytes * likely, high: usedBytes * high };
}

/** The copy that the run sheet of a way names: in the store that is attached for it, else on its own medium. */
function copyReadBy(point: TimedPoint, { links, medium }: TimedRoute): CopySpeed {
  const store = links.restores.changes.find(({ setting }) => setting === "store")?.to;
  const at = (place: string | undefined) => point.copies?.find((copy) => copy.place === place);
  return at(store) ?? at(medium) ?? point;
}

function readRateOf({ readRate, link }: CopySpeed): Rate {
  return readRate ? { low: readRate * MEASURED_AGAIN, high: readRate } : USUAL_RATES[link ?? "usb3"];
}

const diskRate = (bus: string | null): Rate => (bus === "nvme" ? USUAL_RATES.internal : USUAL_RATES["hard-disk"]);

/** From one disk to the other, what is in use at the least, and all of it at the most; as fast as the slower of them. */
function copying({ bytes, bus, partitions }: NonNullable<TimeFacts["oldDisk"]>, target: string | null): Estimate {
  const isKnown = partitions.length > 0 && partitions.every(({ usedBytes }) => usedBytes != null);
  const used = partitions.reduce((all, { usedBytes }) => all + (usedBytes ?? 0), 0);
  const least = isKnown ? Math.min(used, bytes) : bytes * 0.1;
  const amount: Range = { low: least, likely: isKnown ? least : bytes / 2, high: bytes };
  const range = secondsFor([bus, target].map((on) => ({ bytes: amount, rate: diskRate(on) })));
  return { range, openFacts: isKnown ? [] : ["disk-use"] };
}

const exactly = (bytes: number): Range => ({ low: bytes, likely: bytes, high: bytes });
