import { compareVerdicts } from "../model/order";
import type { Reason } from "../model/reasons";
import type { Change, Link, Verdict } from "../model/schema";

/** What one rule comes to: its verdict, why, and what would mend it. Null where the rule has nothing to say. */
export interface Ruling {
  verdict: Verdict;
  reasons: Reason[];
  changes: Change[];
}

/** The rule is met; reasons tell what was seen. */
export function holds(...reasons: Reason[]): Ruling {
  return { verdict: "holds", reasons, changes: [] };
}

/** The rule is not met, and nothing at the computer mends it. */
export function broken(...reasons: Reason[]): Ruling {
  return { verdict: "broken", reasons, changes: [] };
}

/** A fact is missing: the reason names which, and it is never guessed. */
export function unknown(...reasons: Reason[]): Ruling {
  return { verdict: "unknown", reasons, changes: [] };
}

/** The rule is met once somebody has made the change. */
export function holdsAfter(change: Change, ...reasons: Reason[]): Ruling {
  return { verdict: "holds-after-change", reasons, changes: [change] };
}

/** Several rules that all must be met: the worst decides, its reasons come first, the changes of all are needed. */
export function all(rulings: (Ruling | null)[]): Ruling {
  const given = rulings.filter((each) => each !== null);
  const sorted = [...given].sort((a, b) => compareVerdicts(b.verdict, a.verdict));
  const verdict = sorted[0]?.verdict ?? "holds";
  return {
    verdict,
    reasons: sorted.flatMap((each) => each.reasons),
    // What is broken is not mended by the changes that other rules ask for.
    changes: verdict === "broken" ? [] : unique(given.flatMap((each) => each.changes)),
  };
}

/** Several ways of which one is enough: the best, the earlier one where two are as good. */
export function best<T>(ways: T[], rulingOf: (way: T) => Ruling): T | null {
  return ways.reduce<T | null>((top, way) => {
    if (top === null) return way;
    const [a, b] = [rulingOf(way), rulingOf(top)];
    const order = compareVerdicts(a.verdict, b.verdict) || a.changes.length - b.changes.length;
    return order < 0 ? way : top;
  }, null);
}

function unique(changes: Change[]): Change[] {
  const seen = new Set<string>();
  return changes.filter(({ setting, from, to }) => {
    const key = `${setting}\0${from}\0${to}`;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

/** A ruling as a link of the chain. */
export function linkOf({ verdict, reasons, changes }: Ruling): Link {
  return { verdict, basis: null, changes, reasons, trace: [] };
}
