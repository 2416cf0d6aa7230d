import { and, asc, desc, eq, inArray, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { MediumId, SiteId } from "../db/ids";
import { nameOf } from "../db/results";
import { loans, media, sites, stocktakes } from "../db/schema";
import { checked, fail, ok, type Result, refused } from "../problems";
import { getMedium, mediumInputOf, saveMedium } from "./media";

const day = z.iso
  .date("A day is year, month and day, such as 2026-03-01.")
  .nullish()
  .transform((value) => value ?? null);

const lendSchema = z.object({
  tag: z.string().trim().min(1),
  to: z.string().trim().min(1, "Who takes it?").max(120, "A name has at most 120 characters."),
  dueOn: day,
});

/** Lends a medium to somebody. Problems: `invalid`, `not-found`, `stale`. */
export async function lend(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(lendSchema, input);
  if (!parsed.ok) return parsed;
  const { tag, to, dueOn } = parsed.value;
  const since = dayOf(context.now());
  if (dueOn !== null && dueOn < since) return refused({ code: "day-past" }, "dueOn");
  return act(context, null, async (acting) => {
    const medium = await getMedium(acting, tag);
    if (!medium) return fail({ code: "not-found", what: "medium", name: tag });
    if (medium.row.lentTo) return refused({ code: "lent-already", medium: tag, to: medium.row.lentTo }, "to");
    const { id, version } = medium.row;
    const saved = await saveMedium(acting, id, version, { ...mediumInputOf(medium), lentTo: to });
    if (!saved.ok) return saved;
    await acting.db
      .insert(loans)
      .values({ mediumId: id, to, since, dueOn, personId: context.person.id, createdAt: context.now() });
    return saved;
  });
}

/** Takes a medium back, to a place where it is one; null: to where it is recorded to be kept. */
export async function giveBack(context: Context, tag: string, siteId: SiteId | null): Promise<Result<number>> {
  return act(context, null, async (acting) => {
    const medium = await getMedium(acting, tag.trim());
    if (!medium) return fail({ code: "not-found", what: "medium", name: tag });
    const input = { ...mediumInputOf(medium), lentTo: null, siteId: siteId ?? medium.row.siteId };
    const saved = await saveMedium(acting, medium.row.id, medium.row.version, input);
    if (!saved.ok) return saved;
    await acting.db
      .update(loans)
      .set({ returnedOn: dayOf(context.now()) })
      .where(and(eq(loans.mediumId, medium.row.id), isNull(loans.returnedOn)));
    return saved;
  });
}

export interface LoanItem {
  tag: string;
  name: string | null;
  to: string;
  /** Null where it was lent before loans were kept. */
  since: string | null;
  dueOn: string | null;
  isOverdue: boolean;
  site: string | null;
}

/** Media that are lent now, those overdue first. */
export async function openLoans(context: Context, siteId: SiteId | null = null): Promise<LoanItem[]> {
  const today = dayOf(context.now());
  const rows = await context.db
    .select({
      tag: media.tag,
      name: media.name,
      to: media.lentTo,
      since: loans.since,
      dueOn: loans.dueOn,
      site: sites.name,
    })
    .from(media)
    .leftJoin(loans, and(eq(loans.mediumId, media.id), isNull(loans.returnedOn)))
    .leftJoin(sites, eq(sites.id, media.siteId))
    .where(
      and(
        isNull(media.retiredAt),
        sql`${media.lentTo} IS NOT NULL`,
        siteId === null ? undefined : eq(media.siteId, siteId),
      ),
    )
    .orderBy(asc(media.tag));
  return rows
    .map(({ to, dueOn, ...row }) => ({ ...row, to: to ?? "", dueOn, isOverdue: dueOn !== null && dueOn < today }))
    .sort((a, b) => Number(b.isOverdue) - Number(a.isOverdue) || (a.since ?? "").localeCompare(b.since ?? ""));
}

/** The loans of a medium, the latest first. */
export function loansOf(context: Context, mediumId: MediumId, limit = 20) {
  return context.db
    .select({ to: loans.to, since: loans.since, dueOn: loans.dueOn, returnedOn: loans.returnedOn })
    .from(loans)
    .where(eq(loans.mediumId, mediumId))
    .orderBy(desc(loans.id))
    .limit(limit);
}

interface ShelfItem {
  tag: string;
  name: string | null;
  kind: string;
  lentTo: string | null;
}

export interface Shelf {
  site: { id: SiteId; name: string; place: string | null; namePattern: string | null; version: number };
  media: ShelfItem[];
  lastTaken: { on: string; personName: string; missing: string[] } | null;
}

/** What is recorded to be kept at a place, by tag. */
export async function shelfOf(context: Context, siteId: SiteId): Promise<Shelf | null> {
  const [site] = await context.db
    .select({
      id: sites.id,
      name: sites.name,
      place: sites.place,
      namePattern: sites.namePattern,
      version: sites.version,
    })
    .from(sites)
    .where(eq(sites.id, siteId));
  if (!site) return null;
  const [rows, [last]] = await Promise.all([
    context.db
      .select({ tag: media.tag, name: media.name, kind: media.kind, lentTo: media.lentTo })
      .from(media)
      .where(and(eq(media.siteId, siteId), isNull(media.retiredAt)))
      .orderBy(asc(media.tag)),
    context.db
      .select({ on: stocktakes.on, personName: nameOf(stocktakes.personId), missing: stocktakes.missing })
      .from(stocktakes)
      .where(eq(stocktakes.siteId, siteId))
      .orderBy(desc(stocktakes.id))
      .limit(1),
  ]);
  return { site, media: rows, lastTaken: last ?? null };
}

export interface Stocktaking {
  found: string[];
  /** Recorded to be here and not lent, and not scanned. */
  missing: string[];
  /** Recorded to be elsewhere, or lent, and scanned here. */
  moved: string[];
  /** No medium in service has such a tag. */
  unknown: string[];
}

/** What scanning everything at a place would come to. */
export async function compareStock(
  context: Context,
  siteId: SiteId,
  tags: readonly string[],
): Promise<Result<Stocktaking>> {
  const shelf = await shelfOf(context, siteId);
  if (!shelf) return fail({ code: "not-found", what: "site" });
  const scanned = [...new Set(tags.map((tag) => tag.trim().toLowerCase()).filter(Boolean))].slice(0, 5000);
  const rows =
    scanned.length === 0
      ? []
      : await context.db
          .select({ tag: media.tag, siteId: media.siteId, lentTo: media.lentTo })
          .from(media)
          .where(and(inArray(media.tag, scanned), isNull(media.retiredAt)));
  const rowByTag = new Map(rows.map((row) => [row.tag.toLowerCase(), row]));
  const isHere = (tag: string) => {
    const row = rowByTag.get(tag);
    return row !== undefined && row.siteId === siteId && row.lentTo === null;
  };
  const tagOf = (tag: string) => rowByTag.get(tag)?.tag ?? tag;
  const seen = new Set(scanned);
  return ok({
    found: scanned.filter((tag) => rowByTag.has(tag) && isHere(tag)).map(tagOf),
    moved: scanned.filter((tag) => rowByTag.has(tag) && !isHere(tag)).map(tagOf),
    unknown: scanned.filter((tag) => !rowByTag.has(tag)),
    missing: shelf.media
      .filter(({ tag, lentTo }) => lentTo === null && !seen.has(tag.toLowerCase()))
      .map(({ tag }) => tag),
  });
}

/** Keeps a stock-taking: what was found here is here from now on, given back where it was lent. */
export async function takeStock(
  context: Context,
  siteId: SiteId,
  tags: readonly string[],
): Promise<Result<Stocktaking>> {
  return act(context, null, async (acting) => {
    const compared = await compareStock(acting, siteId, tags);
    if (!compared.ok) return compared;
    const { found, missing, moved } = compared.value;
    for (const tag of moved) {
      const back = await giveBack(acting, tag, siteId);
      if (!back.ok) return back;
    }
    await acting.db.insert(stocktakes).values({
      ...{ siteId, on: dayOf(context.now()), found, missing, moved },
      ...{ personId: context.person.id, createdAt: context.now() },
    });
    return compared;
  });
}
