import { asc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import type { Context } from "../context";
import { computers, kits, media, people, releases, sites } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";
import { recordEvent } from "./events";
import { changing, type Transaction } from "./versioned";

/** Small lists that the rest refers to: people, sites, kits and their releases. */
const nameSchema = z.string().trim().min(1, "A name is needed.").max(120, "A name has at most 120 characters.");

export function listPeople(db: Context["db"]): Promise<(typeof people.$inferSelect)[]> {
  return db.select().from(people).orderBy(asc(people.id));
}

export interface SiteItem {
  id: number;
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
  const countOf = (counts: { siteId: number | null; count: number }[], id: number) =>
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
    const [row] = await tx
      .insert(sites)
      .values({ name, place: place || null })
      .$returningId();
    return { entity: "site", id: (row as { id: number }).id, tag: name, after: { name, place: place || null } };
  });
}

export async function addKit(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ name: nameSchema, purpose: z.string().trim().max(300).nullish() }), input);
  if (!parsed.ok) return parsed;
  const { name, purpose } = parsed.value;
  return addNamed(context, name, async (tx) => {
    const [row] = await tx
      .insert(kits)
      .values({ name, purpose: purpose || null })
      .$returningId();
    return { entity: "kit", id: (row as { id: number }).id, tag: name, after: { name, purpose: purpose || null } };
  });
}

const releaseInputSchema = z.object({
  kitId: z.number().int(),
  name: nameSchema.max(60, "A release's name has at most 60 characters."),
  madeOn: z.iso.date("A date is year, month and day, such as 2026-03-01.").nullish(),
  note: z.string().trim().max(4000).nullish(),
});

export async function addRelease(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(releaseInputSchema, input);
  if (!parsed.ok) return parsed;
  const { kitId, name, madeOn, note } = parsed.value;
  const [kit] = await context.db.select().from(kits).where(eq(kits.id, kitId));
  if (!kit) return fail({ code: "not-found", what: "kit" });
  return addNamed(context, name, async (tx) => {
    const [row] = await tx
      .insert(releases)
      .values({ kitId, name, madeOn: madeOn ?? null, note: note || null })
      .$returningId();
    return {
      entity: "release",
      id: (row as { id: number }).id,
      tag: `${kit.name} ${name}`,
      after: { kit: kit.name, name, madeOn: madeOn ?? null, note: note || null },
    };
  });
}

async function addNamed(
  context: Context,
  name: string,
  insert: (tx: Transaction) => Promise<{
    entity: "site" | "kit" | "release";
    id: number;
    tag: string;
    after: Record<string, unknown>;
  }>,
): Promise<Result<number>> {
  return changing(context, { field: "name", value: name }, async (tx) => {
    const { entity, id, tag, after } = await insert(tx);
    await recordEvent(tx, context, {
      entity,
      entityId: id,
      entityTag: tag,
      action: "added",
      version: 1,
      before: null,
      after,
    });
    return ok(id);
  });
}

export interface ReleaseItem {
  id: number;
  kitId: number;
  kitName: string;
  name: string;
  madeOn: string | null;
  note: string | null;
  media: number;
}

export async function listReleases(context: Context): Promise<ReleaseItem[]> {
  const rows = await context.db
    .select({
      id: releases.id,
      kitId: releases.kitId,
      kitName: kits.name,
      name: releases.name,
      madeOn: releases.madeOn,
      note: releases.note,
      media: sql<number>`(SELECT COUNT(*) FROM loads JOIN media ON media.id = loads.medium_id WHERE loads.release_id = ${releases.id} AND media.retired_at IS NULL)`,
    })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .orderBy(asc(kits.name), asc(releases.name));
  return rows.map((row) => ({ ...row, media: Number(row.media) }));
}

export function listKits(context: Context): Promise<(typeof kits.$inferSelect)[]> {
  return context.db.select().from(kits).orderBy(asc(kits.name));
}
