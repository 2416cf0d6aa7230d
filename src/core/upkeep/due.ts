import type { Some } from "../cover/result";
import type { ImageDueReason } from "../images/due";
import type { Reason } from "../judging/model/reasons";

/** What can be due, in the order in which it is told where nothing else decides. */
export const DUE_KINDS = [
  "drill",
  "verification",
  "planned-drill",
  "wear",
  "image",
  "store",
  "superseded",
  "ended",
  "system-files",
  "environment",
  "loan",
  "spares",
  "facts",
  "stocktake",
] as const;
export type DueKind = (typeof DUE_KINDS)[number];

export type DueReason =
  | { code: "drill-lapses"; model: string | null; on: string }
  | { code: "verification-lapses"; on: string }
  /** Never tried, tried before it was written, with other firmware, on another of the model: what the chain says. */
  | { code: "not-proven"; reason: Reason | null }
  | { code: "secure-boot-changed"; on: string; drilledOn: string }
  | { code: "drill-planned"; on: string; days: number; by: string }
  | { code: "worn" }
  | { code: "distrusted" }
  | { code: "image"; reasons: ImageDueReason[] }
  | { code: "image-lapses"; on: string }
  /** `on`: null where it is full now. */
  | { code: "store-full"; storeId: number; store: string; freeBytes: number; on: string | null }
  | { code: "release-superseded"; release: string; by: string }
  | { code: "release-ended"; release: string; on: string }
  | { code: "system-ended"; system: string; on: string; computers: number }
  | { code: "system-files-old"; release: string; days: number; most: number }
  | { code: "system-files-older"; release: string; has: string; runs: string }
  | { code: "environment-older"; release: string; madeOn: string; system: string; releasedOn: string }
  | { code: "loan-overdue"; to: string; on: string }
  | { code: "spares-lacking"; has: number; wanted: number }
  | { code: "facts-old"; days: number; most: number }
  | { code: "facts-never" }
  | { code: "stock-never" }
  | { code: "stock-old"; days: number; most: number };

/** Something that is due: why, what breaks if nothing is done and when, and what to do. */
export interface DueItem {
  /** The same as long as it is the same thing: what was put off is known by it. */
  key: string;
  kind: DueKind;
  medium: string | null;
  computer: string | null;
  /** Where the work is. */
  site: string | null;
  reason: DueReason;
  /** ISO day on which something breaks; null: nothing does by a day. */
  breaksOn: string | null;
  /** Computers that lack something of what is asked from that day on, or do already. */
  loses: Some;
}

/** An item is told so many days before its day. */
export const AHEAD_DAYS = 60;

/**
 * By consequence: whoever is about to lose the last way that counts, by the day; whoever has none already; the rest by
 * its day, its kind and its name.
 */
export function rankDue(items: readonly DueItem[], today: string): DueItem[] {
  const rank = ({ loses, breaksOn }: DueItem) => {
    if (loses.count === 0) return 2;
    return breaksOn !== null && breaksOn > today ? 0 : 1;
  };
  return [...items].sort(
    (a, b) =>
      rank(a) - rank(b) ||
      (rank(a) === 1 ? b.loses.count - a.loses.count : 0) ||
      (a.breaksOn ?? "9999").localeCompare(b.breaksOn ?? "9999") ||
      DUE_KINDS.indexOf(a.kind) - DUE_KINDS.indexOf(b.kind) ||
      a.key.localeCompare(b.key),
  );
}

/** Whose business it is, where it is one person's: who planned it, or has what is to come back. */
export function personOf({ reason }: DueItem): string | null {
  if (reason.code === "drill-planned") return reason.by;
  return reason.code === "loan-overdue" ? reason.to : null;
}

const SOME = 12;

/** How many there are, and the first of them by tag: a sentence cannot name four hundred. */
export function someOf(tags: Iterable<string>): Some {
  const all = [...new Set(tags)].sort();
  return { count: all.length, tags: all.slice(0, SOME) };
}
