import type { StartFacts } from "../facts/profile";
import { judgeStart } from "../firmware/judge";
import type { Attachment, Inspection } from "../inspection/schema";
import { type ReasonFacts, reason } from "../words/reasons";
import { type Link, MATCH_SCHEMA, type Match, type Verdict } from "./schema";

/** Best first. */
const RANK: Record<Verdict, number> = { holds: 0, "holds-after-change": 1, unknown: 2, broken: 3 };

/** Negative where `a` is the better verdict. */
export function compareVerdicts(a: Verdict, b: Verdict): number {
  return RANK[a] - RANK[b];
}

export function unknownLink(...reasons: ReasonFacts[]): Link {
  return { verdict: "unknown", basis: null, changes: [], reasons: reasons.map(reason), trace: [] };
}

/**
 * The chain for one medium and one computer as far as the two alone decide it: the other links need the inventory.
 * Without `as` the better way of attaching it is judged, a stick before a disc where both are as good.
 */
export function matchFiles(inspection: Pick<Inspection, "views">, facts: StartFacts, as: Attachment | null): Match {
  const judged = betterStart(inspection, facts, as);
  const open = () => unknownLink({ code: "needs-inventory" });
  return {
    schema: MATCH_SCHEMA,
    as: judged.as,
    links: { atHand: open(), starts: judged.starts, sees: open(), restores: open(), proven: open() },
  };
}

export function betterStart(
  inspection: Pick<Inspection, "views">,
  facts: StartFacts,
  as: Attachment | null,
): { as: Attachment; starts: Link } {
  if (as) return { as, starts: judgeStart(inspection.views, facts, as) };
  const usb = judgeStart(inspection.views, facts, "usb");
  const optical = judgeStart(inspection.views, facts, "optical");
  return compareVerdicts(optical.verdict, usb.verdict) < 0
    ? { as: "optical", starts: optical }
    : { as: "usb", starts: usb };
}
