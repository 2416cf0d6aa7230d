import { and, asc, desc, eq, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import type { Verdict } from "@/core/judging/model/schema";
import { type Claimant, DriverIndex } from "@/core/medium/drivers/driver-set";
import type { Inspection } from "@/core/medium/inspection/schema";
import { compareReleases, type ReleaseComparison, type ReleaseSide } from "@/core/medium/releases/compare";
import { asReleaseFacts, type ReleaseFacts, releaseFactsSchema } from "@/core/medium/releases/facts";
import { act } from "../act";
import type { Context } from "../context";
import type { InspectionId, KitId, ReleaseId } from "../db/ids";
import { insertedId } from "../db/results";
import { inspections, kits, loads, media, releases, sites } from "../db/schema";
import { countsOf } from "../fleet/covers";
import { listingOf, readDrivers, readManifest } from "../inspections/contents";
import { readInspection } from "../inspections/inspections";
import { getComputer } from "../inventory/computers";
import { difference } from "../inventory/events";
import { addNamed, nameSchema } from "../inventory/named";
import { saveVersioned } from "../inventory/versioned";
import { checked, fail, ok, type Result, refused } from "../problems";

const blank = (value: string | null | undefined) => value?.trim() || null;
const optional = (length: number) => z.string().max(length).nullish().transform(blank);

const kitInputSchema = z.object({ name: nameSchema, family: optional(60), purpose: optional(300) });

export async function addKit(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(kitInputSchema, input);
  if (!parsed.ok) return parsed;
  const { value } = parsed;
  return addNamed(context, value.name, async (tx) => {
    const row = await tx.insert(kits).values(value).$returningId();
    return { entity: "kit", id: insertedId(row), tag: value.name, after: value };
  });
}

export async function saveKit(context: Context, id: KitId, version: number, input: unknown): Promise<Result<number>> {
  const parsed = checked(kitInputSchema, input);
  if (!parsed.ok) return parsed;
  const { value } = parsed;
  return act(context, { field: "name", value: value.name }, async ({ db: tx }) => {
    const [row] = await tx.select().from(kits).where(eq(kits.id, id));
    if (!row) return fail({ code: "not-found", what: "kit" });
    const change = difference({ name: row.name, family: row.family, purpose: row.purpose }, value);
    if (!change) return ok(row.version);
    return saveVersioned(tx, context, kits, {
      entity: "kit",
      id,
      version,
      tag: value.name,
      action: "changed",
      set: value,
      ...change,
    });
  });
}

const releaseInputSchema = z.object({
  kitId: z.number().int(),
  name: nameSchema.max(60, "A release's name has at most 60 characters."),
  madeOn: z.iso
    .date("A date is year, month and day, such as 2026-03-01.")
    .nullish()
    .transform((value) => value ?? null),
  note: optional(4000),
  facts: releaseFactsSchema.nullish().transform((value) => value ?? null),
  /** What was read from its file. */
  inspectionId: z
    .number()
    .int()
    .nullish()
    .transform((value) => value ?? null),
  supersededById: z
    .number()
    .int()
    .nullish()
    .transform((value) => value ?? null),
});
export type ReleaseInput = z.infer<typeof releaseInputSchema>;

/** A release as its events tell it: names instead of numbers. */
function told(input: ReleaseInput, kitName: string, supersededBy: string | null): Record<string, unknown> {
  const { kitId: _kit, supersededById: _by, ...rest } = input;
  return { kit: kitName, ...rest, supersededBy };
}

export async function addRelease(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(releaseInputSchema, input);
  if (!parsed.ok) return parsed;
  const { value } = parsed;
  const named = await namesFor(context, value, null);
  if (!named.ok) return named;
  const { kitName, supersededBy } = named.value;
  return addNamed(context, value.name, async (tx) => {
    const row = await tx.insert(releases).values(value).$returningId();
    return {
      entity: "release",
      id: insertedId(row),
      tag: `${kitName} ${value.name}`,
      after: told(value, kitName, supersededBy),
    };
  });
}

export async function saveRelease(
  context: Context,
  id: ReleaseId,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(releaseInputSchema, input);
  if (!parsed.ok) return parsed;
  const { value } = parsed;
  const named = await namesFor(context, value, id);
  if (!named.ok) return named;
  const { kitName, supersededBy } = named.value;
  return act(context, { field: "name", value: value.name }, async ({ db: tx }) => {
    const [row] = await tx
      .select({ row: releases, kitName: kits.name })
      .from(releases)
      .innerJoin(kits, eq(kits.id, releases.kitId))
      .where(eq(releases.id, id));
    if (!row) return fail({ code: "not-found", what: "release" });
    const earlier = await nameOf(context, row.row.supersededById);
    const change = difference(told(row.row, row.kitName, earlier), told(value, kitName, supersededBy));
    if (!change) return ok(row.row.version);
    return saveVersioned(tx, context, releases, {
      entity: "release",
      id,
      version,
      tag: `${kitName} ${value.name}`,
      action: "changed",
      set: value,
      ...change,
    });
  });
}

/** Names of what a release refers to; problems where it is not there, or would supersede itself in a circle. */
async function namesFor(
  context: Context,
  { kitId, supersededById, inspectionId }: ReleaseInput,
  own: number | null,
): Promise<Result<{ kitName: string; supersededBy: string | null }>> {
  const [kit] = await context.db.select().from(kits).where(eq(kits.id, kitId));
  if (!kit) return fail({ code: "not-found", what: "kit" });
  if (inspectionId !== null) {
    const [read] = await context.db
      .select({ id: inspections.id })
      .from(inspections)
      .where(eq(inspections.id, inspectionId));
    if (!read) return fail({ code: "not-found", what: "file read" });
  }
  const seen = new Set<number>(own === null ? [] : [own]);
  for (let next = supersededById; next !== null; ) {
    if (seen.has(next)) return refused({ code: "superseded-by-itself" }, "supersededById");
    seen.add(next);
    const [row]: { by: number | null }[] = await context.db
      .select({ by: releases.supersededById })
      .from(releases)
      .where(eq(releases.id, next));
    if (!row) return fail({ code: "not-found", what: "release" });
    next = row.by;
  }
  return ok({ kitName: kit.name, supersededBy: await nameOf(context, supersededById) });
}

async function nameOf(context: Context, id: ReleaseId | null): Promise<string | null> {
  if (id === null) return null;
  const [row] = await context.db
    .select({ name: releases.name, kit: kits.name })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(eq(releases.id, id));
  return row ? `${row.kit} ${row.name}` : null;
}

export interface ReleaseItem {
  id: ReleaseId;
  kitId: KitId;
  kitName: string;
  name: string;
  madeOn: string | null;
  note: string | null;
  facts: ReleaseFacts;
  supersededById: ReleaseId | null;
  /** It has been read from its file. */
  read: boolean;
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
      facts: releases.facts,
      supersededById: releases.supersededById,
      inspectionId: releases.inspectionId,
      media: sql<number>`(SELECT COUNT(*) FROM loads JOIN media ON media.id = loads.medium_id WHERE loads.release_id = ${releases.id} AND media.retired_at IS NULL)`,
    })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .orderBy(asc(kits.name), desc(releases.madeOn), desc(releases.name));
  return rows.map(({ inspectionId, ...row }) => ({
    ...row,
    facts: asReleaseFacts(row.facts),
    read: inspectionId !== null,
    media: Number(row.media),
  }));
}

export function listKits(context: Context): Promise<(typeof kits.$inferSelect)[]> {
  return context.db.select().from(kits).orderBy(asc(kits.name));
}

export interface ReleaseDetail {
  row: typeof releases.$inferSelect;
  kit: typeof kits.$inferSelect;
  facts: ReleaseFacts;
  supersededBy: { id: ReleaseId; text: string } | null;
  supersedes: { id: ReleaseId; text: string }[];
  inspection: Inspection | null;
  readAt: Date | null;
}

export async function getRelease(context: Context, id: ReleaseId): Promise<ReleaseDetail | null> {
  const [found] = await context.db
    .select({ row: releases, kit: kits })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(eq(releases.id, id));
  if (!found) return null;
  const { row, kit } = found;
  const [read, byName, older] = await Promise.all([
    row.inspectionId === null ? null : readInspection(context.db, row.inspectionId),
    nameOf(context, row.supersededById),
    context.db
      .select({ id: releases.id, name: releases.name, kit: kits.name })
      .from(releases)
      .innerJoin(kits, eq(kits.id, releases.kitId))
      .where(eq(releases.supersededById, id)),
  ]);
  return {
    row,
    kit,
    facts: asReleaseFacts(row.facts),
    supersededBy: row.supersededById !== null && byName ? { id: row.supersededById, text: byName } : null,
    supersedes: older.map((each) => ({ id: each.id, text: `${each.kit} ${each.name}` })),
    inspection: read?.inspection ?? null,
    readAt: read?.at ?? null,
  };
}

export interface CarryingMedium {
  tag: string;
  name: string | null;
  kind: string;
  siteName: string | null;
  lentTo: string | null;
  /** Computers in service by what the chain with this medium comes to. */
  computers: Record<Verdict, number> | null;
}

/** Media in service that carry a release; at most `limit`, with how many there are. */
export async function mediaOf(
  context: Context,
  releaseId: ReleaseId,
  limit = 200,
): Promise<{ items: CarryingMedium[]; total: number }> {
  const where = and(eq(loads.releaseId, releaseId), isNull(media.retiredAt));
  const [rows, [count]] = await Promise.all([
    context.db
      .select({
        id: media.id,
        tag: media.tag,
        name: media.name,
        kind: media.kind,
        siteName: sites.name,
        lentTo: media.lentTo,
      })
      .from(loads)
      .innerJoin(media, eq(media.id, loads.mediumId))
      .leftJoin(sites, eq(sites.id, media.siteId))
      .where(where)
      .orderBy(asc(media.tag))
      .limit(limit),
    context.db
      .select({ total: sql<number>`COUNT(*)` })
      .from(loads)
      .innerJoin(media, eq(media.id, loads.mediumId))
      .where(where),
  ]);
  const counts = await countsOf(
    context,
    rows.map(({ id }) => id),
  );
  const items = rows.map(({ id: _, ...row }, at) => ({ ...row, computers: counts[at] ?? null }));
  return { items, total: Number(count?.total ?? 0) };
}

/** Everything that is kept of the file that a release was read from; null where it was never read from one. */
export async function keptOf(context: Context, inspectionId: InspectionId | null): Promise<ReleaseSide | null> {
  if (inspectionId === null) return null;
  const [read, listing, drivers, manifest] = await Promise.all([
    readInspection(context.db, inspectionId),
    listingOf(context, inspectionId),
    readDrivers(context, inspectionId),
    readManifest(context, inspectionId),
  ]);
  return read && { inspection: read.inspection, listing, drivers, manifest };
}

export async function compareTwo(
  context: Context,
  before: ReleaseDetail,
  after: ReleaseDetail,
): Promise<ReleaseComparison | null> {
  const [old, young] = await Promise.all([
    keptOf(context, before.row.inspectionId),
    keptOf(context, after.row.inspectionId),
  ]);
  return old && young && compareReleases(old, young);
}

export interface DrivenDevice {
  modalias: string;
  name: string | null;
  use: string;
  claimants: Claimant[];
}

/** What a release drives of one computer; null where its drivers are not known. */
export async function drivesComputer(
  context: Context,
  inspectionId: InspectionId,
  tag: string,
): Promise<Result<DrivenDevice[] | null>> {
  const detail = await getComputer(context, tag);
  if (!detail) return fail({ code: "not-found", what: "computer", name: tag });
  const drivers = await readDrivers(context, inspectionId);
  if (!drivers) return ok(null);
  const index = new DriverIndex(drivers);
  return ok(
    (detail.facts.devices ?? []).map(({ modalias, name, class: use }) => ({
      modalias,
      name: name ?? null,
      use: use ?? "other",
      claimants: index.claimants(modalias),
    })),
  );
}
