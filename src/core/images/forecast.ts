import type { ImageContent } from "../computer/facts/roles";
import { type StoredRatio, storedSize, USUAL_RATIO } from "../computer/needs/stored-size";
import { dayOf } from "../kernel/days";
import { itemAt, lastOf } from "../kernel/item-at";
import type { Range } from "../kernel/range";

/** An image that was taken before, as far as its sizes say something of the next. */
export interface PastImage {
  usedBytes: number | null;
  storedBytes: number | null;
  kind: "full" | "incremental" | "differential";
  /** ISO 8601. */
  takenAt: string;
  /** What was in it was encrypted; not given: not known. */
  encrypted?: boolean | null;
}

/** Where a ratio is from: this computer's own images, others taken with the same kit, or what is usual. */
export type RatioSource = { from: "own"; images: number } | { from: "kit"; images: number } | { from: "usual" };

/** Of a few measured values the next one may lie so much outside. */
const MEASURED_SPREAD = 0.05;
const LATEST = 6;

/** Ratios of full images that were encrypted as the next one is: ones from before encryption say nothing of it. */
function ratiosOf(past: readonly PastImage[], isEncrypted: boolean): number[] {
  return [...past]
    .filter(({ kind, encrypted }) => kind === "full" && (isEncrypted ? encrypted === true : encrypted !== true))
    .sort((a, b) => b.takenAt.localeCompare(a.takenAt))
    .flatMap(({ usedBytes, storedBytes }) => (usedBytes && storedBytes ? [storedBytes / usedBytes] : []))
    .slice(0, LATEST);
}

function rangeOf(values: readonly number[], spread: number): Range {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  const likely = sorted.length % 2 === 1 ? sorted[middle] : ((sorted[middle - 1] ?? 0) + (sorted[middle] ?? 0)) / 2;
  return {
    low: (sorted[0] ?? 0) * (1 - spread),
    likely: likely ?? 0,
    high: (sorted.at(-1) ?? 0) * (1 + spread),
  };
}

/** Images that were taken before: of the computer itself, and of others with the same kit. */
export interface PastImages {
  own: readonly PastImage[];
  sameKit: readonly PastImage[];
}

/** What used bytes come to: by this computer's own images, else by three or more others with the same kit, else as usual. */
export function storedRatio(isEncrypted: boolean, { own, sameKit }: PastImages): StoredRatio & { source: RatioSource } {
  const mine = ratiosOf(own, isEncrypted);
  if (mine.length > 0)
    return {
      ...{ ratio: rangeOf(mine, MEASURED_SPREAD * (mine.length < 3 ? 2 : 1)), isMeasured: true },
      source: { from: "own", images: mine.length },
    };
  // Others' encrypted volumes were opened or not: what they came to says nothing of this one.
  const others = isEncrypted ? [] : ratiosOf(sameKit, isEncrypted);
  if (others.length < 3) return { ...USUAL_RATIO, source: { from: "usual" } };
  return {
    ...{ ratio: rangeOf(others, MEASURED_SPREAD), isMeasured: true },
    source: { from: "kit", images: others.length },
  };
}

/** The size in bytes of the next full image of these partitions; null where what one of them has in use is not recorded. */
export function nextImageBytes(
  contents: readonly ImageContent[],
  past: PastImages,
): { bytes: Range; source: RatioSource } | null {
  const { source, ...stored } = storedRatio(isAnyEncrypted(contents), past);
  const bytes: Range = { low: 0, likely: 0, high: 0 };
  for (const content of contents) {
    const size = storedSize(content, stored).bytes;
    if (size === null) return null;
    for (const end of ["low", "likely", "high"] as const) bytes[end] += size[end];
  }
  return contents.length === 0 ? null : { bytes, source };
}

/** Whether a partition of an image is encrypted as it lies on the disk. */
export function isAnyEncrypted(contents: readonly ImageContent[]): boolean {
  return contents.some(({ partition }) => partition.encryption !== null);
}

/** Whether a store takes an image: by what is stored, not by the disk. */
export interface StoreFit {
  verdict: "fits" | "may-not-fit" | "does-not-fit";
  /** What is left, or lacking where it is negative, if it comes out as large, and as small, as it may. */
  marginBytes: { least: number; most: number };
}

/** A file system is not filled to its last byte: its own records grow, and it slows down. Common practice. */
export const KEPT_FREE_BYTES = 256e6;

/** Sizes in bytes. What is free is compared with both ends of the estimate, since one number would promise too much. */
export function storeFit(freeBytes: number, image: Range): StoreFit {
  const free = Math.max(0, freeBytes - KEPT_FREE_BYTES);
  const marginBytes = { least: free - image.high, most: free - image.low };
  if (marginBytes.least >= 0) return { verdict: "fits", marginBytes };
  return { verdict: marginBytes.most >= 0 ? "may-not-fit" : "does-not-fit", marginBytes };
}

/** How full a store was on a day. */
export interface Fill {
  /** ISO day. */
  on: string;
  usedBytes: number;
}

/** Bytes a day that a store grows by, and when it is full; days count from the last one told. */
export interface Growth {
  bytesPerDay: Range;
  /** ISO days: the likely one, and between which it may lie. Null where it does not grow, or not within ten years. */
  full: { early: string; likely: string | null; late: string | null } | null;
}

const DAY_MS = 86_400_000;
const FAR_DAYS = 3653;

/**
 * The slope through what was measured, as the median of all slopes between two measurements (Theil 1950, Sen 1968: one
 * cleaning-up does not throw it off), with their quartiles as its range. Null with fewer than three days.
 */
export function growthOf(fills: readonly Fill[], capacityBytes: number): Growth | null {
  const sorted = [...fills].sort((a, b) => a.on.localeCompare(b.on));
  const days = sorted.map(({ on }) => Date.parse(`${on}T00:00:00Z`) / DAY_MS);
  const slopes: number[] = [];
  for (const [at, later] of sorted.entries())
    for (const [before, earlier] of sorted.slice(0, at).entries()) {
      const apart = itemAt(days, at) - itemAt(days, before);
      if (apart > 0) slopes.push((later.usedBytes - earlier.usedBytes) / apart);
    }
  if (new Set(days).size < 3) return null;
  slopes.sort((a, b) => a - b);
  const quantile = (share: number) => {
    const place = (slopes.length - 1) * share;
    const [below, above] = [itemAt(slopes, Math.floor(place)), itemAt(slopes, Math.ceil(place))];
    return below + (above - below) * (place - Math.floor(place));
  };
  const bytesPerDay = { low: quantile(0.25), likely: quantile(0.5), high: quantile(0.75) };
  const last = lastOf(sorted);
  const freeBytes = Math.max(0, capacityBytes - last.usedBytes);
  const dayAfter = (slope: number): string | null => {
    if (slope <= 0) return freeBytes === 0 ? last.on : null;
    const ahead = Math.floor(freeBytes / slope);
    return ahead > FAR_DAYS ? null : dayOf(new Date(lastOf(days) * DAY_MS + ahead * DAY_MS));
  };
  const early = dayAfter(bytesPerDay.high);
  return {
    bytesPerDay,
    full: early === null ? null : { early, likely: dayAfter(bytesPerDay.likely), late: dayAfter(bytesPerDay.low) },
  };
}

/** Bytes a second, as measured or as usual for its kind. */
export interface Rate {
  low: number;
  high: number;
}

/** What links and disks do in practice, bytes a second. Common practice; sticks from USB 2 to good USB 3 ones. */
export const USUAL_RATES = {
  usb2: { low: 20e6, high: 35e6 },
  usb3: { low: 60e6, high: 180e6 },
  "lan-100": { low: 8e6, high: 11.5e6 },
  "lan-1000": { low: 60e6, high: 110e6 },
  wifi: { low: 3e6, high: 25e6 },
  internal: { low: 80e6, high: 400e6 },
  "hard-disk": { low: 60e6, high: 150e6 },
} as const satisfies Record<string, Rate>;
export type LinkKind = keyof typeof USUAL_RATES;

/** A job that was done before: how many bytes went over the slowest part, and how long it took. */
export interface PastJob {
  bytes: number;
  seconds: number;
}

/**
 * How long it takes to move some bytes: the slowest part decides, and what was measured before of such jobs counts for more
 * than what is usual. `stages`: for each part what goes through it, and how fast it is.
 */
export function secondsFor(stages: readonly { bytes: Range; rate: Rate }[], past: readonly PastJob[] = []): Range {
  const measured = past
    .filter(({ bytes, seconds }) => bytes > 0 && seconds > 0)
    .map(({ bytes, seconds }) => bytes / seconds);
  if (measured.length > 0) {
    const { low, likely, high } = rangeOf(measured, MEASURED_SPREAD * (measured.length < 3 ? 4 : 2));
    const bytes = stages[0]?.bytes ?? { low: 0, likely: 0, high: 0 };
    return { low: bytes.low / high, likely: bytes.likely / likely, high: bytes.high / low };
  }
  const slowest = (pick: (stage: { bytes: Range; rate: Rate }) => number) => Math.max(0, ...stages.map(pick));
  const low = slowest(({ bytes, rate }) => bytes.low / rate.high);
  const high = slowest(({ bytes, rate }) => bytes.high / rate.low);
  return { low, likely: Math.sqrt(low * high), high };
}
