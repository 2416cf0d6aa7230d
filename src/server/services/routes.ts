import { and, eq, isNull } from "drizzle-orm";
import { compareVerdicts, unknownLink } from "@/core/chain/match";
import { LINK_NAMES, type Link, type Links, type Verdict } from "@/core/chain/schema";
import { startProfile } from "@/core/facts/profile";
import type { Attachment } from "@/core/inspection/schema";
import { reason } from "@/core/words/reasons";
import type { Context } from "../context";
import { inspections, media, sites } from "../db/schema";
import type { ComputerDetail } from "./computers";
import { type Load, loadsOf } from "./media";
import { judgeAll } from "./verdicts";

/** One way to bring one computer back, as far as it is known: a medium and its chain. */
export interface Route {
  mediumTag: string;
  mediumName: string | null;
  kind: string;
  as: Attachment;
  siteName: string | null;
  loads: Load[];
  links: Links;
  weakest: Verdict;
  /** What was found wrong with the medium as a whole, though its start may be sound. */
  fault: string | null;
}

/** The routes of a computer over all media in use that something was read from, best first. */
export async function routesOf(context: Context, detail: ComputerDetail): Promise<Route[]> {
  const rows = await context.db
    .select({
      id: media.id,
      tag: media.tag,
      name: media.name,
      kind: media.kind,
      siteId: media.siteId,
      siteName: sites.name,
      lentTo: media.lentTo,
      viewsKey: inspections.viewsKey,
      fault: inspections.fault,
    })
    .from(media)
    .innerJoin(inspections, eq(inspections.id, media.inspectionId))
    .leftJoin(sites, eq(sites.id, media.siteId))
    .where(and(isNull(media.retiredAt)));
  const profile = startProfile(detail.facts);
  const [verdicts, itsLoads] = await Promise.all([
    judgeAll(
      context.db,
      rows.map((row) => ({ profile, viewsKey: row.viewsKey, kind: row.kind })),
    ),
    loadsOf(
      context.db,
      rows.map((row) => row.id),
    ),
  ]);
  const routes = rows.map((row, index): Route => {
    const { as, link } = verdicts[index] as (typeof verdicts)[number];
    const loads = itsLoads.get(row.id) ?? [];
    const links: Links = {
      atHand: atHand(row, detail),
      starts:
        row.fault && link.verdict !== "broken"
          ? { ...link, reasons: [...link.reasons, reason({ code: "medium-fault", fault: row.fault })] }
          : link,
      sees: sees(loads),
      restores: unknownLink({ code: "no-image-recorded" }),
      proven: unknownLink({ code: "no-drill-recorded" }),
    };
    return {
      mediumTag: row.tag,
      mediumName: row.name,
      kind: row.kind,
      as,
      siteName: row.siteName,
      loads,
      links,
      weakest: weakestOf(links),
      fault: row.fault,
    };
  });
  return routes.sort(compareRoutes);
}

/** The At hand link, from the recorded places alone: what is not recorded is unknown. */
function atHand(
  medium: { siteId: number | null; siteName: string | null; lentTo: string | null },
  computer: ComputerDetail,
): Link {
  if (medium.lentTo) return { ...unknownLink({ code: "medium-lent", to: medium.lentTo }) };
  if (medium.siteId === null || medium.siteName === null) return unknownLink({ code: "medium-place-unknown" });
  if (computer.row.siteId === null || computer.siteName === null)
    return unknownLink({ code: "computer-place-unknown" });
  if (medium.siteId === computer.row.siteId) {
    return {
      verdict: "holds",
      basis: null,
      changes: [],
      reasons: [reason({ code: "medium-at-site", site: medium.siteName })],
      trace: [],
    };
  }
  return {
    verdict: "holds-after-change",
    basis: null,
    changes: [{ setting: "place", from: medium.siteName, to: computer.siteName }],
    reasons: [reason({ code: "medium-elsewhere", site: medium.siteName, computerSite: computer.siteName })],
    trace: [],
  };
}

function sees(loads: Load[]): Link {
  const load = loads[0];
  return load
    ? unknownLink({ code: "release-drivers-unknown", release: `${load.kitName} ${load.releaseName}` })
    : unknownLink({ code: "release-not-recorded" });
}

export function weakestOf(links: Links): Verdict {
  return LINK_NAMES.map((name) => links[name].verdict).reduce((worst, each) =>
    compareVerdicts(each, worst) > 0 ? each : worst,
  );
}

/** Whether it starts decides first, then whether the medium is sound, then whether it is at hand, then the fewer changes; ties by tag. */
function compareRoutes(a: Route, b: Route): number {
  return (
    compareVerdicts(a.links.starts.verdict, b.links.starts.verdict) ||
    Number(a.fault !== null) - Number(b.fault !== null) ||
    compareVerdicts(a.links.atHand.verdict, b.links.atHand.verdict) ||
    a.links.starts.changes.length - b.links.starts.changes.length ||
    a.mediumTag.localeCompare(b.mediumTag)
  );
}
