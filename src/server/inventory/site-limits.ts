import { eq, inArray, sql } from "drizzle-orm";
import { takeBack } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { SiteId } from "../db/ids";
import { callouts, computers, drills, media, plannedDrills, sites, stores, systemImages } from "../db/schema";

/** What an event tells of a change, as far as it matters where it was made. */
interface Placed {
  entity: string;
  entityId: number;
  before?: Record<string, unknown> | null;
}

/** Where some things of one kind are: by their id, null where that is not recorded. What is not told of is nowhere. */
type Finder = (tx: Queries, ids: number[]) => Promise<{ id: number; siteId: SiteId | null }[]>;

/** Things are where their computer is. */
function ofComputer(table: typeof callouts | typeof drills | typeof plannedDrills | typeof systemImages): Finder {
  return (tx, ids) =>
    tx
      .select({ id: sql<number>`${table.id}`, siteId: computers.siteId })
      .from(table)
      .innerJoin(computers, eq(computers.id, table.computerId))
      .where(inArray(table.id, ids));
}

const FINDERS: Record<string, Finder> = {
  site: async (_tx, ids) => ids.map((id) => ({ id, siteId: id })),
  computer: (tx, ids) =>
    tx.select({ id: computers.id, siteId: computers.siteId }).from(computers).where(inArray(computers.id, ids)),
  medium: (tx, ids) => tx.select({ id: media.id, siteId: media.siteId }).from(media).where(inArray(media.id, ids)),
  "call-out": ofComputer(callouts),
  drill: ofComputer(drills),
  "planned drill": ofComputer(plannedDrills),
  image: ofComputer(systemImages),
  store: async (tx, ids) => {
    const rows = await tx
      .select({ id: stores.id, ofComputer: computers.siteId, ofMedium: media.siteId, kind: stores.kind })
      .from(stores)
      .leftJoin(computers, eq(computers.id, stores.computerId))
      .leftJoin(media, eq(media.id, stores.mediumId))
      .where(inArray(stores.id, ids));
    // A share is of no site.
    return rows.flatMap(({ id, ofComputer, ofMedium, kind }) =>
      kind === "computer" || kind === "medium" ? [{ id, siteId: ofComputer ?? ofMedium }] : [],
    );
  },
};

/**
 * An account may be held to some sites: what is changed has to have been at one of them, and what is new has to be there.
 * Anything may be sent on from there. Takes the act back otherwise. Things that are of no site, as releases, are for
 * whoever's role allows it. Every change is told in the event log, so that this stands before all of them.
 */
export async function holdToSites(tx: Queries, { sites: allowed }: Context, changes: readonly Placed[]): Promise<void> {
  if (!allowed) return;
  const byEntity = new Map<string, Placed[]>();
  for (const change of changes) byEntity.set(change.entity, [...(byEntity.get(change.entity) ?? []), change]);
  for (const [entity, of] of byEntity) {
    const rows = (await FINDERS[entity]?.(tx, [...new Set(of.map(({ entityId }) => entityId))])) ?? [];
    const now = new Map(rows.map((row) => [row.id, row.siteId]));
    for (const { entityId, before } of of) {
      const there = now.get(entityId);
      if (there === undefined) continue;
      const was = before && "siteId" in before ? (before.siteId as SiteId | null) : there;
      if (was !== null && allowed.includes(was)) continue;
      const [site] = was === null ? [] : await tx.select({ name: sites.name }).from(sites).where(eq(sites.id, was));
      takeBack({ code: "refused", why: { code: "other-site", site: site?.name ?? null } });
    }
  }
}
