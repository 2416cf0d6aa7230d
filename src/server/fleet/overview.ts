import { isNull, sql } from "drizzle-orm";
import type { FirmwareFacts } from "@/core/computer/facts/schema";
import { breakAt } from "@/core/fleet/cell";
import type { Reason } from "@/core/judging/model/reasons";
import type { LinkName, Verdict } from "@/core/judging/model/schema";
import { type Route, weakLink } from "@/core/judging/routes/routes";
import type { Context } from "../context";
import type { SiteId } from "../db/ids";
import { events, media, sites } from "../db/schema";
import { asked } from "./asked";
import { type Fleet, fleet } from "./fleet";

export type CoverState = Verdict | "none";

interface SiteCover {
  siteId: SiteId | null;
  siteName: string | null;
  counts: Record<CoverState, number>;
}

/** Computers that no route surely brings back, told by what their surest routes have in common. */
interface CoverGap {
  state: Exclude<CoverState, "holds">;
  /** The link that decides; null where there is no medium. */
  at: LinkName | null;
  count: number;
  /** Some of their tags, in order. */
  tags: string[];
  /** The first of them, and what is said of it. */
  example: { computer: string; medium: string; reason: Reason; firmware: FirmwareFacts } | null;
}

export interface Overview {
  computers: number;
  media: number;
  mediaUnread: number;
  totals: Record<CoverState, number>;
  bySite: SiteCover[];
  gaps: CoverGap[];
}

const zero = (): Record<CoverState, number> => ({ holds: 0, "holds-after-change": 0, unknown: 0, broken: 0, none: 0 });

/** Which computers can be brought back, and where the chains of the others break. */
export const overview = asked("overview", async (context: Context): Promise<Overview> => {
  const [chains, [counted], places] = await Promise.all([
    fleet(context),
    context.db
      .select({ media: sql<number>`COUNT(*)`, unread: sql<number>`SUM(${media.inspectionId} IS NULL)` })
      .from(media)
      .where(isNull(media.retiredAt)),
    context.db.select({ id: sites.id, name: sites.name }).from(sites),
  ]);
  const idOf = new Map(places.map(({ id, name }) => [name, id]));
  const totals = zero();
  const bySite = new Map<string | null, SiteCover>();
  for (const [row, { site: siteName }] of chains.computers.entries()) {
    const verdict = chains.surest.standing(row)?.verdict ?? "none";
    totals[verdict]++;
    const siteId = siteName === null ? null : (idOf.get(siteName) ?? null);
    const site = bySite.get(siteName) ?? { siteId, siteName, counts: zero() };
    site.counts[verdict]++;
    bySite.set(siteName, site);
  }
  return {
    computers: chains.computers.length,
    media: Number(counted?.media ?? 0),
    mediaUnread: Number(counted?.unread ?? 0),
    totals,
    bySite: [...bySite.values()].sort((a, b) => (a.siteName ?? "\uffff").localeCompare(b.siteName ?? "\uffff")),
    gaps: gapsOf(chains),
  };
});

const GAP_ORDER: CoverState[] = ["broken", "none", "unknown", "holds-after-change"];
const GAPS_MAX = 12;
const GAP_TAGS = 6;
/** Routes that are told for the sake of the reasons, at most; computers beyond are counted without one. */
const ROUTES_TOLD = 400;

function gapsOf(chains: Fleet): CoverGap[] {
  const told = new Map<string, Route | null>();
  const routeOf = (row: number): Route | null => {
    const key = chains.matrix.classOfRow(row) ?? `row ${row}`;
    if (!told.has(key) && told.size < ROUTES_TOLD) told.set(key, chains.surest.route(row));
    return told.get(key) ?? null;
  };
  const gaps = new Map<string, CoverGap>();
  for (const [row, { tag, facts }] of chains.computers.entries()) {
    const standing = chains.surest.standing(row);
    const state = standing?.verdict ?? "none";
    if (state === "holds") continue;
    const route = routeOf(row);
    const at = standing?.isOwn ? breakAt(standing.cell) : route && weakLink(route.links);
    const reason = at && route?.links[at].reasons[0];
    const { kind, arch, secureBoot } = facts.firmware;
    // What starts depends on the firmware, whatever the reason is called.
    const firmware = at === "starts" ? [kind, arch, secureBoot?.state] : [];
    const key = JSON.stringify([state, at, reason?.code ?? null, firmware]);
    const example = reason && route ? { computer: tag, medium: route.medium, reason } : null;
    const gap = gaps.get(key) ?? {
      state,
      at,
      count: 0,
      tags: [],
      example: example && { ...example, firmware: facts.firmware },
    };
    gap.count++;
    if (gap.tags.length < GAP_TAGS) gap.tags.push(tag);
    gaps.set(key, gap);
  }
  const order = (gap: CoverGap) => GAP_ORDER.indexOf(gap.state);
  // The first computers of a group are in order, so groups that are as large stay in the order of their tags.
  return [...gaps.values()].sort((a, b) => order(a) - order(b) || b.count - a.count).slice(0, GAPS_MAX);
}

type EventRow = typeof events.$inferSelect;
/** The last thing that somebody did, and to how many: one act over many is one line. */
export interface LatestAct extends EventRow {
  /** Different ones: what is done to one and the same several times is one. */
  count: number;
  /** When the first of them was done. */
  since: Date;
}

/** So many rows of the log are looked at; what one person does alike within so long is one act. */
const LOOKED_AT = 300;
const ONE_ACT_MS = 120_000;

/** What people did last, the latest first; the log's order is not that of time where something is recorded later. */
export async function latestEvents(context: Context, limit = 8): Promise<LatestAct[]> {
  const rows = await context.db.select().from(events).orderBy(sql`${events.id} DESC`).limit(LOOKED_AT);
  const acts: (LatestAct & { ids: Set<number> })[] = [];
  for (const row of rows) {
    const last = acts.at(-1);
    const isSame = last?.personName === row.personName && last.entity === row.entity && last.action === row.action;
    if (last && isSame && Math.abs(last.since.getTime() - row.at.getTime()) < ONE_ACT_MS) {
      last.count = last.ids.add(row.entityId).size;
      last.since = row.at;
    } else if (acts.length === limit) break;
    else acts.push({ ...row, count: 1, since: row.at, ids: new Set([row.entityId]) });
  }
  return acts.map(({ ids: _ids, ...act }) => act).sort((a, b) => b.at.getTime() - a.at.getTime());
}
