import { asc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { compilePattern } from "@/core/images/names";
import { act } from "../act";
import type { Context } from "../context";
import type { SiteId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, media, sites } from "../db/schema";
import { checked, fail, ok, type Result, refused } from "../problems";
import { addNamed, nameSchema } from "./named";
import { saveVersioned } from "./versioned";

export interface SiteItem {
  id: SiteId;
  name: string;
  place: string | null;
  computers: number;
  media: number;
}

export async function listSites(context: Context): Promise<SiteItem[]> {
  const [rows, computerCounts, mediaCounts] = await Promise.all([
    context.db.select().from(sites).orderBy(asc(sites.name)),
    context.db
      .select({ siteId: computers.siteId, count: sql<number>`COUNT(*)` })
      .from(computers)
      .where(isNull(computers.retiredAt))
      .groupBy(computers.siteId),
    context.db
      .select({ siteId: media.siteId, count: sql<number>`COUNT(*)` })
      .from(media)
      .where(isNull(media.retiredAt))
      .groupBy(media.siteId),
  ]);
  const countOf = (counts: { siteId: SiteId | null; count: number }[], id: SiteId) =>
    Number(counts.find((each) => each.siteId === id)?.count ?? 0);
  return rows.map(({ id, name, place }) => ({
    id,
    name,
    place,
    computers: countOf(computerCounts, id),
    media: countOf(mediaCounts, id),
  }));
}

export async function addSite(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ name: nameSchema, place: z.string().trim().max(200).nullish() }), input);
  if (!parsed.ok) return parsed;
  const { name, place } = parsed.value;
  return addNamed(context, name, async (tx) => {
    const row = await tx
      .insert(sites)
      .values({ name, place: place || null })
      .$returningId();
    return { entity: "site", id: insertedId(row), tag: name, after: { name, place: place || null } };
  });
}

/** Says how images of a place's computers are called; empty: as is usual. Problems: `invalid`, `stale`, `not-found`. */
export async function setNamePattern(
  context: Context,
  id: SiteId,
  version: number,
  pattern: string,
): Promise<Result<number>> {
  const namePattern = pattern.trim() || null;
  const compiled = namePattern === null ? null : compilePattern(namePattern.slice(0, 200));
  if (compiled && !compiled.ok) return refused({ code: "name-pattern", problems: compiled.problems }, "namePattern");
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const [row] = await tx.select().from(sites).where(eq(sites.id, id));
    if (!row) return fail({ code: "not-found", what: "site" });
    if (row.namePattern === namePattern) return ok(row.version);
    return saveVersioned(tx, context, sites, {
      ...{ entity: "site", id, version, tag: row.name, action: "changed", set: { namePattern } },
      before: { namePattern: row.namePattern },
      after: { namePattern },
    });
  });
}
