import type { Verdict } from "./schema";

/** Best first. */
const RANK: Record<Verdict, number> = { holds: 0, "holds-after-change": 1, unknown: 2, broken: 3 };

/** Negative where `a` is the better verdict. */
export function compareVerdicts(a: Verdict, b: Verdict): number {
  return RANK[a] - RANK[b];
}
