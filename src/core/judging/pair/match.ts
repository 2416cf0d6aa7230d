import type { StartFacts } from "../../computer/facts/profile";
import type { Facts } from "../../computer/facts/schema";
import type { Attachment, Inspection } from "../../medium/inspection/schema";
import { judgeReinstall } from "../links/reinstall";
import { linkOf } from "../links/ruling";
import { judgeSees } from "../links/sees";
import { compareVerdicts } from "../model/order";
import type { ReleasePart } from "../model/parts";
import type { Reason } from "../model/reasons";
import type { Link, Match } from "../model/schema";
import { judgeStart } from "../starts/judge";

function unknownLink(...reasons: Reason[]): Link {
  return { verdict: "unknown", basis: null, changes: [], reasons, trace: [] };
}

/**
 * The chain for one medium and one computer as far as the two alone decide it: the other links need the inventory.
 * Without `as` the better way of attaching it is judged, a stick before a disc where both are as good.
 */
export function matchFiles(
  medium: MediumFile,
  facts: Facts,
  as: Attachment | null,
  today: string | null = null,
): Match {
  const judged = betterStart(medium, facts, as, today);
  const open = () => unknownLink({ code: "needs-inventory" });
  const { release } = medium;
  const sees = linkOf(
    judgeSees({ computer: { facts }, release, as: judged.as, needsNetwork: false, carried: () => null }),
  );
  const isReinstall = release?.systems?.some((each) => each.role === "installs");
  const isAsked = release && isReinstall;
  // Of two files only what both tell is compared: many facts files name no disks.
  const restores = isAsked ? linkOf(judgeReinstall({ facts }, release, judged.starts, false).ruling) : open();
  return {
    as: judged.as,
    links: { atHand: open(), starts: judged.starts, sees, restores, proven: open() },
  };
}

/** A medium by its file alone: what firmware makes of it, and what it carries, where that was read. */
export interface MediumFile extends Pick<Inspection, "views"> {
  release: ReleasePart | null;
}

/**
 * How a medium starts, in the way said or else in the better of the two: a file alone does not tell what it is
 * written to.
 */
export function betterStart(
  inspection: Pick<Inspection, "views">,
  facts: StartFacts,
  as: Attachment | null,
  today: string | null = null,
): { as: Attachment; starts: Link } {
  if (as) return { as, starts: judgeStart(inspection.views, facts, as, today) };
  const usb = judgeStart(inspection.views, facts, "usb", today);
  const optical = judgeStart(inspection.views, facts, "optical", today);
  return compareVerdicts(optical.verdict, usb.verdict) < 0
    ? { as: "optical", starts: optical }
    : { as: "usb", starts: usb };
}
