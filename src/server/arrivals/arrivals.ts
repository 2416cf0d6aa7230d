import { and, asc, count, desc, eq, inArray, isNull, like, type SQL } from "drizzle-orm";
import { z } from "zod";
import { gather } from "@/core/computer/collect/read";
import { type Likeness, likeness } from "@/core/computer/facts/identity";
import { applyMerge, type Merged, NO_PROVENANCE } from "@/core/computer/facts/merge";
import type { ReportedChange } from "@/core/computer/facts/reported";
import type { Facts } from "@/core/computer/facts/schema";
import { act, takeBack } from "../act";
import type { Context } from "../context";
import type { ArrivalId, ReportedChangeId, SiteId } from "../db/ids";
import { affectedRows } from "../db/results";
import { arrivals, computers, reportedChanges, sites } from "../db/schema";
import { type ComputerDetail, getComputer, insertComputer, tagSchema } from "../inventory/computers";
import { checked, fail, ok, type Result, refused } from "../problems";
import { type Candidate, candidatesFor } from "./candidates";
import { takeInto, unpackObservations } from "./reports";

export const ARRIVALS_ON_PAGE = 50;

type Row = Omit<typeof arrivals.$inferSelect, "body" | "key">;

/** A recorded computer that an arrival may be, with what speaks for it and against it. */
interface Double extends Pick<Candidate, "tag" | "name" | "site" | "identity" | "written"> {
  likeness: Likeness;
}

export interface ArrivalItem {
  row: Row;
  site: string | null;
  /** The computer that it was accepted as. */
  computer: string | null;
  doubles: Double[];
}

export interface ArrivalPage {
  items: ArrivalItem[];
  total: number;
  page: number;
  pages: number;
}

export interface ArrivalFilter {
  state: Row["state"];
  siteId: SiteId | null;
  page: number;
}

const COLUMNS = {
  ...{ id: arrivals.id, state: arrivals.state, tokenId: arrivals.tokenId, siteId: arrivals.siteId },
  ...{ identity: arrivals.identity, tag: arrivals.tag, make: arrivals.make, model: arrivals.model },
  ...{ serial: arrivals.serial, system: arrivals.system, reports: arrivals.reports, firstAt: arrivals.firstAt },
  ...{ lastAt: arrivals.lastAt, origin: arrivals.origin, computerId: arrivals.computerId },
  ...{ decidedById: arrivals.decidedById, decidedAt: arrivals.decidedAt },
};

/** Computers that reported, the latest first; those that wait with the recorded ones that they may be. */
export async function listArrivals(context: Context, { state, siteId, page }: ArrivalFilter): Promise<ArrivalPage> {
  const where = and(eq(arrivals.state, state), siteId === null ? undefined : eq(arrivals.siteId, siteId));
  const total = await countOf(context, where);
  const pages = Math.max(1, Math.ceil(total / ARRIVALS_ON_PAGE));
  const at = Math.min(Math.max(1, page), pages);
  const rows = await context.db
    .select({ row: COLUMNS, site: sites.name, computer: computers.tag })
    .from(arrivals)
    .leftJoin(sites, eq(sites.id, arrivals.siteId))
    .leftJoin(computers, eq(computers.id, arrivals.computerId))
    .where(where)
    .orderBy(desc(arrivals.lastAt), desc(arrivals.id))
    .limit(ARRIVALS_ON_PAGE)
    .offset((at - 1) * ARRIVALS_ON_PAGE);
  const identities = rows.map(({ row }) => row.identity);
  const found = state === "waiting" && rows.length > 0 ? await candidatesFor(context.db, identities) : [];
  const items = rows.map(({ row, ...rest }, nth) => ({
    ...{ row, ...rest },
    doubles: (found[nth] ?? []).map(({ tag, name, site, identity, written }) => ({
      ...{ tag, name, site, identity, written },
      likeness: likeness(row.identity, identity),
    })),
  }));
  return { items, total, page: at, pages };
}

async function countOf(context: Context, where: SQL | undefined): Promise<number> {
  const [row] = await context.db.select({ total: count() }).from(arrivals).where(where);
  return row?.total ?? 0;
}

/** How many computers wait to be accepted. */
export const countWaiting = (context: Context): Promise<number> => countOf(context, eq(arrivals.state, "waiting"));

const idsSchema = z.array(z.number().int().positive()).min(1, "Choose at least one computer.").max(500, "At most 500.");
const acceptSchema = z.strictObject({
  ids: idsSchema,
  siteId: z.number().int().positive().nullable(),
  /** How they are called: by the tag that they tell, by their serial, or numbered on from what is there. */
  naming: z.discriminatedUnion("by", [
    z.strictObject({ by: z.literal("told") }),
    z.strictObject({ by: z.literal("serial") }),
    z.strictObject({
      by: z.literal("number"),
      prefix: tagSchema.max(40, "A prefix has at most 40 characters."),
      digits: z.number().int().min(1).max(8),
    }),
  ]),
});

/**
 * Records computers that wait as new ones: all of them, or none. Gives their tags in the order of the ids. Problems:
 * `invalid`, `taken`, `not-waiting`, `report-without-tag`.
 */
export async function acceptArrivals(context: Context, input: unknown): Promise<Result<string[]>> {
  const parsed = checked(acceptSchema, input);
  if (!parsed.ok) return parsed;
  const { ids, siteId, naming } = parsed.value;
  return act(context, { field: "tag", value: "" }, async (acting) => {
    const rows = await acting.db.select().from(arrivals).where(inArray(arrivals.id, ids)).for("update");
    const waiting = ids.flatMap((id) => rows.find((row) => row.id === id && row.state === "waiting") ?? []);
    if (waiting.length < ids.length) return refused({ code: "not-waiting" });
    const tags = await tagsFor(acting, waiting, naming);
    if (!tags.ok) return tags;
    for (const [nth, row] of waiting.entries()) {
      const tag = tags.value[nth] as string;
      const { facts, provenance } = await factsTold(row.body);
      const added = await insertComputer(acting, {
        input: { tag, name: null, siteId, note: null, facts },
        ...{ provenance, action: "added", note: "reported by itself" },
      });
      // The act within this one tells which tag is taken.
      if (!added.ok) return added;
      await decide(acting, [row.id], { state: "accepted", computerId: added.value });
    }
    return ok(tags.value);
  });
}

/** What a report says of its own tag and time is no fact of the computer here. */
const NOT_MERGED = /^computer\/tag$|^collected/;

/** All that a computer reported, as facts. */
async function factsTold(body: Uint8Array): Promise<Merged> {
  const told = (await unpackObservations(body)).map((each) => ({
    ...each,
    values: each.values.filter(([path]) => !NOT_MERGED.test(path)),
  }));
  return applyMerge(null, NO_PROVENANCE, gather(told), {});
}

/** An arrival and a computer that it may be, with the facts of both. Problems: `not-found`. */
export async function compareArrival(
  context: Context,
  id: ArrivalId,
  tag: string,
): Promise<Result<{ row: Row; reported: Facts; recorded: ComputerDetail }>> {
  const [found] = await context.db
    .select({ row: COLUMNS, body: arrivals.body })
    .from(arrivals)
    .where(eq(arrivals.id, id));
  if (!found) return fail({ code: "not-found", what: "arrival" });
  const recorded = await getComputer(context, tag);
  if (!recorded) return fail({ code: "not-found", what: "computer", name: tag });
  return ok({ row: found.row, reported: (await factsTold(found.body)).facts, recorded });
}

type Naming = z.output<typeof acceptSchema>["naming"];

async function tagsFor(
  { db: tx }: Context,
  rows: readonly Pick<Row, "tag" | "serial">[],
  naming: Naming,
): Promise<Result<string[]>> {
  if (naming.by === "number") return ok(await numbered(tx, naming, rows.length));
  const told = rows.map(({ tag, serial }) => (naming.by === "told" ? (tag ?? serial) : serial));
  const valid = told.map((text) => tagSchema.safeParse((text ?? "").replace(/[^\p{L}\p{N}._-]+/gu, "-")));
  const missing = valid.filter(({ success }) => !success).length;
  if (missing > 0) return refused({ code: "report-without-tag", count: missing });
  const tags = valid.flatMap((each) => each.data ?? []);
  const seen = new Set<string>();
  for (const tag of tags) {
    if (seen.has(tag.toLowerCase())) return fail({ code: "taken", field: "tag", value: tag });
    seen.add(tag.toLowerCase());
  }
  return ok(tags);
}

const escaped = (text: string) => text.replace(/[\\%_]/g, (character) => `\\${character}`);

/** The next numbers behind a prefix, after the highest that is there. */
async function numbered(
  tx: Context["db"],
  { prefix, digits }: Extract<Naming, { by: "number" }>,
  wanted: number,
): Promise<string[]> {
  const rows = await tx
    .select({ tag: computers.tag })
    .from(computers)
    .where(like(computers.tag, `${escaped(prefix)}%`));
  const numbers = rows.flatMap(({ tag }) => {
    const rest = tag.slice(prefix.length);
    return /^\d{1,9}$/.test(rest) ? [Number(rest)] : [];
  });
  const highest = numbers.reduce((most, each) => Math.max(most, each), 0);
  return Array.from({ length: wanted }, (_, nth) => `${prefix}${String(highest + 1 + nth).padStart(digits, "0")}`);
}

/** Says that a computer that waits is one that is recorded, and takes its report in. Problems: `not-waiting`, `not-found`. */
export async function joinArrival(context: Context, id: ArrivalId, tag: string): Promise<Result<string>> {
  return act(context, null, async (acting) => {
    const row = await acting.db.query.arrivals.findFirst({
      where: and(eq(arrivals.id, id), eq(arrivals.state, "waiting")),
    });
    if (!row) return refused({ code: "not-waiting" });
    const computer = await getComputer(acting, tag);
    if (!computer || computer.row.retiredAt) return refused({ code: "not-in-service", what: "computer", tag });
    const taken = await takeInto(acting, computer, await unpackObservations(row.body));
    if (!taken.ok) return taken;
    await decide(acting, [id], { state: "accepted", computerId: computer.row.id });
    return ok(computer.row.tag);
  });
}

/** Says that computers that wait are none of ours: they report on, and nobody is asked again. Problems: `not-waiting`. */
export async function dismissArrivals(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(idsSchema, input);
  if (!parsed.ok) return parsed;
  return act(context, null, async (acting) =>
    ok(await decide(acting, parsed.value, { state: "dismissed", computerId: null })),
  );
}

/** Takes that back. Problems: `not-waiting`. */
export async function recallArrival(context: Context, id: ArrivalId): Promise<Result<number>> {
  return act(context, null, async ({ db: tx }) => {
    const changed = await tx
      .update(arrivals)
      .set({ state: "waiting", decidedById: null, decidedAt: null })
      .where(and(eq(arrivals.id, id), eq(arrivals.state, "dismissed")));
    return affectedRows(changed) === 1 ? ok(1) : refused({ code: "not-waiting" });
  });
}

async function decide(
  { db: tx, person, now }: Context,
  ids: readonly ArrivalId[],
  told: Pick<typeof arrivals.$inferInsert, "state" | "computerId">,
): Promise<number> {
  const changed = await tx
    .update(arrivals)
    .set({ ...told, decidedById: person.id, decidedAt: now() })
    .where(and(inArray(arrivals.id, [...ids]), eq(arrivals.state, "waiting")));
  if (affectedRows(changed) !== ids.length) takeBack({ code: "refused", why: { code: "not-waiting" } });
  return ids.length;
}

export interface ReportedItem extends ReportedChange {
  id: ReportedChangeId;
  computer: string;
  site: string | null;
  at: Date;
}

/** What reports changed of which media start a computer, and nobody has seen yet; the latest first. */
export async function openReports(context: Context, limit = 20): Promise<ReportedItem[]> {
  const rows = await context.db
    .select({
      ...{ id: reportedChanges.id, computer: computers.tag, site: sites.name },
      ...{ at: reportedChanges.at, told: reportedChanges.told },
    })
    .from(reportedChanges)
    .innerJoin(computers, eq(computers.id, reportedChanges.computerId))
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(and(isNull(reportedChanges.seenAt), isNull(computers.retiredAt)))
    .orderBy(desc(reportedChanges.at), asc(reportedChanges.id))
    .limit(limit);
  return rows.map(({ told, ...row }) => ({ ...row, ...told }));
}

/** Says that a reported change was seen; it is told no more. */
export async function markSeen(context: Context, id: ReportedChangeId): Promise<Result<null>> {
  return act(context, null, async ({ db: tx, person, now }) => {
    await tx
      .update(reportedChanges)
      .set({ seenById: person.id, seenAt: now() })
      .where(and(eq(reportedChanges.id, id), isNull(reportedChanges.seenAt)));
    return ok(null);
  });
}
