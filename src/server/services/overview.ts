import { and, asc, eq, inArray, isNull, sql } from "drizzle-orm";
import type { Verdict } from "@/core/chain/schema";
import type { FirmwareFacts } from "@/core/facts/schema";
import type { Context } from "../context";
import { computers, events, media, sites } from "../db/schema";
import { loadProfiles } from "./fact-profiles";
import { coverOfProfiles } from "./verdicts";

export type CoverState = Verdict | "none";

export interface SiteCover {
  siteId: number | null;
  siteName: string | null;
  counts: Record<CoverState, number>;
}

/** Computers without a medium that starts them, told by what they have in common. */
export interface CoverGap {
  state: Exclude<CoverState, "holds">;
  /** The facts that the computers share, as firmware words need them. */
  firmware: FirmwareFacts;
  count: number;
  /** Some of their tags, in order. */
  tags: string[];
  mediaTried: number;
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
const GAP_TAGS = 6;

/** Which computers have a medium that starts them, and which do not. Profiles are judged; computers are counted. */
export async function overview(context: Context): Promise<Overview> {
  const groups = await context.db
    .select({
      profile: computers.startProfile,
      siteId: computers.siteId,
      siteName: sites.name,
      count: sql<number>`COUNT(*)`,
    })
    .from(computers)
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(isNull(computers.retiredAt))
    .groupBy(computers.startProfile, computers.siteId, sites.name);
  const profiles = [...new Set(groups.map((group) => group.profile))];
  const cover = await coverOfProfiles(context, profiles);
  const [counted] = await context.db
    .select({ media: sql<number>`COUNT(*)`, unread: sql<number>`SUM(${media.inspectionId} IS NULL)` })
    .from(media)
    .where(isNull(media.retiredAt));
  const stateOf = (profile: string): CoverState => cover.get(profile)?.best ?? "none";
  const totals = zero();
  const bySite = new Map<number | null, SiteCover>();
  for (const group of groups) {
    const state = stateOf(group.profile);
    const count = Number(group.count);
    totals[state] += count;
    const site = bySite.get(group.siteId) ?? { siteId: group.siteId, siteName: group.siteName, counts: zero() };
    site.counts[state] += count;
    bySite.set(group.siteId, site);
  }
  return {
    computers: Object.values(totals).reduce((sum, each) => sum + each, 0),
    media: Number(counted?.media ?? 0),
    mediaUnread: Number(counted?.unread ?? 0),
    totals,
    bySite: [...bySite.values()].sort((a, b) => (a.siteName ?? "\uffff").localeCompare(b.siteName ?? "\uffff")),
    gaps: await gapsOf(context, profiles, stateOf, groups, Number(counted?.media ?? 0) - Number(counted?.unread ?? 0)),
  };
}

const GAP_ORDER: CoverState[] = ["broken", "none", "unknown", "holds-after-change"];
const GAPS_MAX = 12;

async function gapsOf(
  context: Context,
  profiles: string[],
  stateOf: (profile: string) => CoverState,
  groups: { profile: string; count: number }[],
  mediaTried: number,
): Promise<CoverGap[]> {
  const lacking = profiles.filter((profile) => stateOf(profile) !== "holds");
  if (lacking.length === 0) return [];
  const counted = lacking
    .map((profile) => ({
      profile,
      count: groups.filter((group) => group.profile === profile).reduce((sum, group) => sum + Number(group.count), 0),
    }))
    .sort(
      (a, b) =>
        GAP_ORDER.indexOf(stateOf(a.profile)) - GAP_ORDER.indexOf(stateOf(b.profile)) ||
        b.count - a.count ||
        (a.profile < b.profile ? -1 : 1),
    )
    .slice(0, GAPS_MAX);
  const ranked = context.db
    .select({
      profile: computers.startProfile,
      tag: computers.tag,
      place: sql<number>`ROW_NUMBER() OVER (PARTITION BY ${computers.startProfile} ORDER BY ${computers.tag})`.as(
        "place_in_profile",
      ),
    })
    .from(computers)
    .where(
      and(
        isNull(computers.retiredAt),
        inArray(
          computers.startProfile,
          counted.map((each) => each.profile),
        ),
      ),
    )
    .as("ranked");
  const rows = await context.db
    .select()
    .from(ranked)
    .where(sql`${ranked.place} <= ${GAP_TAGS}`)
    .orderBy(asc(ranked.tag));
  const facts = await loadProfiles(
    context.db,
    counted.map((each) => each.profile),
  );
  return counted.flatMap(({ profile, count }) => {
    const firmware = facts.get(profile)?.firmware;
    const tags = rows.filter((row) => row.profile === profile).map((row) => row.tag);
    return firmware ? [{ state: stateOf(profile) as CoverGap["state"], firmware, count, tags, mediaTried }] : [];
  });
}

export function latestEvents(context: Context, limit = 8): Promise<(typeof events.$inferSelect)[]> {
  return context.db.select().from(events).orderBy(sql`${events.id} DESC`).limit(limit);
}
