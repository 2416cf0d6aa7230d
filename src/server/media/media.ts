import { and, asc, eq, inArray, isNotNull, isNull, like, or, type SQL, sql } from "drizzle-orm";
import { z } from "zod";
import type { LoadPart } from "@/core/judging/model/loads";
import { MEDIUM_KINDS, type MediumKind } from "@/core/judging/model/parts";
import type { Verdict } from "@/core/judging/model/schema";
import { answerOf, type Route } from "@/core/judging/routes/routes";
import type { Label } from "@/core/making/labels/label";
import { type Inspection, inspectionSchema } from "@/core/medium/inspection/schema";
import { act } from "../act";
import { PAGE_ROWS } from "../computers/computer-list";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ComputerId, InspectionId, MediumId, ReleaseId, SiteId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, inspections, inspectionViews, kits, loads, media, releases, sites } from "../db/schema";
import { asked } from "../fleet/asked";
import { computersOn, countsOf, servedBy } from "../fleet/covers";
import { asInspection, readInspection, storeInspection } from "../inspections/inspections";
import { verifiedOf } from "../inspections/verified";
import { tagSchema } from "../inventory/computers";
import { difference, recordEvent } from "../inventory/events";
import { retire, saveVersioned } from "../inventory/versioned";
import { checked, fail, ok, type Result, refused } from "../problems";

const blank = (value: string | null | undefined) => value?.trim() || null;

const DAY_NEEDED = "A day is year, month and day, such as 2026-03-01.";
const day = z.iso
  .date(DAY_NEEDED)
  .nullish()
  .transform((value) => value ?? null);

const mediumInputSchema = z.object({
  tag: tagSchema,
  name: z.string().max(120, "A name has at most 120 characters.").nullish().transform(blank),
  kind: z.enum(MEDIUM_KINDS),
  capacityBytes: z.number().int().positive().max(Number.MAX_SAFE_INTEGER).nullable(),
  siteId: z.number().int().nullable(),
  /** Of an entry: the tag of the computer on whose disk it is. */
  onComputer: z.string().max(60).nullish().transform(blank),
  lentTo: z.string().max(120).nullish().transform(blank),
  note: z.string().max(4000).nullish().transform(blank),
  condition: z
    .enum(["good", "worn", "distrusted"])
    .nullish()
    .transform((value) => value ?? null),
  writtenOn: day,
  /** When it was last compared with what it should hold, and how that went. */
  verified: z
    .object({ on: z.iso.date(DAY_NEEDED), whole: z.boolean(), sampledOn: day.optional() })
    .nullish()
    .transform((value) => value ?? null),
  /** Releases that it carries. */
  releaseIds: z.array(z.number().int()).max(20),
});
export type MediumInput = z.infer<typeof mediumInputSchema>;

type MediumRow = typeof media.$inferSelect;

interface Load {
  releaseId: ReleaseId;
  kitName: string;
  releaseName: string;
  madeOn: string | null;
  /** Where it stands, where the medium carries several. */
  part: LoadPart | null;
  /** It was made without its system files: it reinstalls nothing. */
  lacksSystemFiles: boolean;
}

export interface MediumDetail {
  row: MediumRow;
  siteName: string | null;
  /** Of an entry: the computer on whose disk it is. */
  onComputer: string | null;
  loads: Load[];
  inspection: Inspection | null;
  inspectedAt: Date | null;
}

function columnsOf(
  { releaseIds: _releases, onComputer: _tag, verified, ...columns }: MediumInput,
  onComputerId: ComputerId | null,
) {
  return {
    ...{ ...columns, onComputerId },
    verifiedOn: verified?.on ?? null,
    verifiedWhole: verified?.whole ?? null,
    sampledOn: verified?.sampledOn ?? null,
  };
}

/** The computer on whose disk an entry is; null: it is no entry. */
async function entryComputer(
  tx: Queries,
  { kind, onComputer }: Pick<MediumInput, "kind" | "onComputer">,
): Promise<Result<ComputerId | null>> {
  if (kind !== "entry") return ok(null);
  if (onComputer === null) return refused({ code: "entry-without-computer" }, "onComputer");
  const [found] = await tx.select({ id: computers.id }).from(computers).where(eq(computers.tag, onComputer));
  return found ? ok(found.id) : fail({ code: "not-found", what: "computer", name: onComputer });
}

/** Where releases stand on a medium that was made with several, by their ids. */
export type LoadParts = ReadonlyMap<number, LoadPart>;

/** What a medium carries from now on. Without `parts` what stays stands where it stood, as long as what was `read` has that. */
async function replaceLoads(
  tx: Queries,
  mediumId: MediumId,
  releaseIds: number[],
  parts: LoadParts | null,
  read: Inspection | null,
): Promise<void> {
  const before = await tx
    .select({ releaseId: loads.releaseId, part: loads.part, lacksSystemFiles: loads.lacksSystemFiles })
    .from(loads)
    .where(eq(loads.mediumId, mediumId));
  // What the bench makes (`parts`) says it anew.
  const lacking = new Set(parts ? [] : before.flatMap((load) => (load.lacksSystemFiles ? [load.releaseId] : [])));
  const stands = (part: LoadPart | null) =>
    read === null ||
    read.partitions.some(({ start, length }) => start === part?.startBytes && length === part.lengthBytes);
  const loadParts = parts ?? new Map(before.map(({ releaseId, part }) => [releaseId, stands(part) ? part : null]));
  await tx.delete(loads).where(eq(loads.mediumId, mediumId));
  await addLoads(tx, mediumId, releaseIds, loadParts, lacking);
}

/** Says of a medium that what it carries was put onto it without its system files. */
export async function markLean(tx: Queries, mediumId: MediumId): Promise<void> {
  await tx.update(loads).set({ lacksSystemFiles: true }).where(eq(loads.mediumId, mediumId));
}

async function addLoads(
  tx: Queries,
  mediumId: MediumId,
  releaseIds: number[],
  parts: ReadonlyMap<number, LoadPart | null>,
  lacking: ReadonlySet<number> = new Set(),
): Promise<void> {
  const rows = [...new Set(releaseIds)].map((releaseId) => {
    return { mediumId, releaseId, part: parts.get(releaseId) ?? null, lacksSystemFiles: lacking.has(releaseId) };
  });
  if (rows.length > 0) await tx.insert(loads).values(rows);
}

/** Registers a medium with what was read from its file. Problems: `invalid`, `taken`, `not-found`. */
export async function addMedium(
  context: Context,
  input: unknown,
  inspection: unknown,
  parts: LoadParts = new Map(),
): Promise<Result<number>> {
  const parsed = checked(mediumInputSchema, input);
  if (!parsed.ok) return parsed;
  const read = await checkedInspection(context, inspection);
  if (!read.ok) return read;
  const { tag, releaseIds } = parsed.value;
  return act(context, { field: "tag", value: tag }, async ({ db: tx }) => {
    const on = await entryComputer(tx, parsed.value);
    if (!on.ok) return on;
    const contents = read.value === NOTHING_READ ? null : read.value;
    const inspectionId = contents && (await inspectionIdOf(tx, context, contents));
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const inserted = await tx
      .insert(media)
      .values({ ...columnsOf(parsed.value, on.value), inspectionId, ...times })
      .$returningId();
    const id = insertedId(inserted);
    // A medium that is new has none to be deleted first: that would lock where others insert theirs.
    await addLoads(tx, id, releaseIds, parts);
    await recordEvent(tx, context, {
      entity: "medium",
      entityId: id,
      entityTag: tag,
      action: "added",
      version: 1,
      before: null,
      after: { ...parsed.value, file: contents?.inspection.file ?? null },
    });
    return ok(id);
  });
}

/**
 * Saves a medium as edited from `version`; `inspection` replaces what was read before where it is given, and
 * `NOTHING_READ` says that what was read before is there no longer.
 */
export async function saveMedium(
  context: Context,
  id: MediumId,
  version: number,
  input: unknown,
  inspection: unknown = null,
  parts: LoadParts | null = null,
): Promise<Result<number>> {
  const parsed = checked(mediumInputSchema, input);
  if (!parsed.ok) return parsed;
  const read = await checkedInspection(context, inspection);
  if (!read.ok) return read;
  const { tag, releaseIds } = parsed.value;
  return act(context, { field: "tag", value: tag }, async ({ db: tx }) => {
    const current = await readMedium(tx, eq(media.id, id));
    if (!current) return fail({ code: "not-found", what: "medium" });
    const on = await entryComputer(tx, parsed.value);
    if (!on.ok) return on;
    const before = { ...mediumInputOf(current), file: current.inspection?.file ?? null };
    const file = read.value === NOTHING_READ ? null : (read.value?.inspection.file ?? before.file);
    const change = difference(before, { ...parsed.value, file });
    if (!change) return ok(current.row.version);
    const inspectionId =
      read.value === NOTHING_READ
        ? null
        : read.value
          ? await inspectionIdOf(tx, context, read.value)
          : current.row.inspectionId;
    const set = { ...columnsOf(parsed.value, on.value), inspectionId };
    const saved = await saveVersioned(tx, context, media, {
      entity: "medium",
      id,
      version,
      tag,
      action: "changed",
      set,
      ...change,
    });
    const inspection = read.value === NOTHING_READ ? null : (read.value?.inspection ?? null);
    if (saved.ok) await replaceLoads(tx, id, releaseIds, parts, inspection);
    return saved;
  });
}

/** What a browser sent as read: null for nothing, an inspection, or the id of one that was kept before. */
async function checkedInspection(
  context: Context,
  inspection: unknown,
): Promise<Result<Read | typeof NOTHING_READ | null>> {
  if (inspection === null || inspection === NOTHING_READ) return ok(inspection);
  const kept = z.object({ kept: z.number().int() }).safeParse(inspection);
  if (kept.success) {
    const found = await readInspection(context.db, kept.data.kept);
    return found
      ? ok({ id: kept.data.kept, inspection: found.inspection })
      : fail({ code: "not-found", what: "file read" });
  }
  const read = checked(inspectionSchema, inspection);
  return read.ok ? ok({ id: null, inspection: read.value }) : read;
}

export const NOTHING_READ = "nothing-read";

interface Read {
  id: InspectionId | null;
  inspection: Inspection;
}

function inspectionIdOf(tx: Queries, context: Context, { id, inspection }: Read): Promise<number> | number {
  return id ?? storeInspection(tx, context, inspection);
}

export function retireMedium(
  context: Context,
  id: MediumId,
  version: number,
  retired: boolean,
): Promise<Result<number>> {
  return retire(context, media, { entity: "medium", id, version, retired });
}

export function mediumInputOf(detail: MediumDetail): MediumInput {
  const { tag, name, kind, capacityBytes, siteId, lentTo, note, condition, writtenOn } = detail.row;
  return {
    tag,
    name,
    kind: kind as MediumKind,
    onComputer: detail.onComputer,
    capacityBytes,
    siteId,
    lentTo,
    note,
    condition,
    writtenOn,
    verified: verifiedOf(detail.row),
    releaseIds: detail.loads.map((load) => load.releaseId),
  };
}

export function getMedium(context: Context, tag: string): Promise<MediumDetail | null> {
  return readMedium(context.db, eq(media.tag, tag));
}

async function readMedium(queries: Queries, where: SQL): Promise<MediumDetail | null> {
  const [found] = await queries
    .select({
      ...{ row: media, siteName: sites.name, onComputer: computers.tag, inspectedAt: inspections.createdAt },
      ...{ body: inspections.body, views: inspectionViews.body },
    })
    .from(media)
    .leftJoin(sites, eq(sites.id, media.siteId))
    .leftJoin(computers, eq(computers.id, media.onComputerId))
    .leftJoin(inspections, eq(inspections.id, media.inspectionId))
    .leftJoin(inspectionViews, eq(inspectionViews.key, inspections.viewsKey))
    .where(where);
  if (!found) return null;
  const itsLoads = await loadsOf(queries, [found.row.id]);
  const { row, siteName, onComputer, inspectedAt, body, views } = found;
  const inspection = body && views && asInspection(body, views);
  return { row, siteName, onComputer, inspectedAt, inspection, loads: itsLoads.get(row.id) ?? [] };
}

async function loadsOf(queries: Queries, mediumIds: number[]): Promise<Map<number, Load[]>> {
  const byMedium = new Map<number, Load[]>();
  if (mediumIds.length === 0) return byMedium;
  const rows = await queries
    .select({
      mediumId: loads.mediumId,
      releaseId: releases.id,
      kitName: kits.name,
      releaseName: releases.name,
      madeOn: releases.madeOn,
      part: loads.part,
      lacksSystemFiles: loads.lacksSystemFiles,
    })
    .from(loads)
    .innerJoin(releases, eq(releases.id, loads.releaseId))
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(inArray(loads.mediumId, mediumIds))
    .orderBy(asc(loads.id));
  for (const { mediumId, ...load } of rows) byMedium.set(mediumId, [...(byMedium.get(mediumId) ?? []), load]);
  return byMedium;
}

export interface MediumFilter {
  text?: string | undefined;
  siteId?: SiteId | undefined;
  retired?: boolean | undefined;
  page?: number | undefined;
}

export interface MediumListItem {
  id: MediumId;
  tag: string;
  name: string | null;
  kind: string;
  capacityBytes: number | null;
  siteName: string | null;
  lentTo: string | null;
  loads: Load[];
  /** Whether something was read from it. */
  isRead: boolean;
  /** Computers in service by what the surest route with this medium comes to; null where it is not in service. */
  computers: Record<Verdict, number> | null;
}

export const listMedia = asked(
  "media",
  async (context: Context, filter: MediumFilter): Promise<{ items: MediumListItem[]; total: number }> => {
    const where = whereOf(filter);
    const page = Math.max(1, Math.floor(filter.page ?? 1));
    const [[count], rows] = await Promise.all([
      context.db.select({ total: sql<number>`COUNT(*)` }).from(media).where(where),
      context.db
        .select({
          id: media.id,
          tag: media.tag,
          name: media.name,
          kind: media.kind,
          capacityBytes: media.capacityBytes,
          siteName: sites.name,
          lentTo: media.lentTo,
          inspectionId: media.inspectionId,
        })
        .from(media)
        .leftJoin(sites, eq(sites.id, media.siteId))
        .where(where)
        .orderBy(asc(media.tag))
        .limit(PAGE_ROWS)
        .offset((page - 1) * PAGE_ROWS),
    ]);
    const [itsLoads, counts] = await Promise.all([
      loadsOf(
        context.db,
        rows.map((row) => row.id),
      ),
      filter.retired
        ? []
        : countsOf(
            context,
            rows.map((row) => row.id),
          ),
    ]);
    const items = rows.map(({ inspectionId, ...row }, at) => ({
      ...row,
      loads: itsLoads.get(row.id) ?? [],
      isRead: inspectionId !== null,
      computers: counts[at] ?? null,
    }));
    return { items, total: Number(count?.total ?? 0) };
  },
);

function whereOf(filter: MediumFilter): SQL | undefined {
  const conditions: (SQL | undefined)[] = [filter.retired ? isNotNull(media.retiredAt) : isNull(media.retiredAt)];
  const text = filter.text?.trim();
  if (text) {
    const pattern = `%${text.replace(/[\\%_]/g, "\\$&")}%`;
    conditions.push(or(like(media.tag, pattern), like(media.name, pattern)));
  }
  if (filter.siteId) conditions.push(eq(media.siteId, filter.siteId));
  return and(...conditions);
}

/** A computer with the surest route that one medium offers it. */
interface ChainedComputer {
  tag: string;
  name: string | null;
  site: string | null;
  route: Route;
}

/** The computers of a medium by what the chain comes to, best first. */
export interface ChainedComputers {
  counts: Record<Verdict, number>;
  items: ChainedComputer[];
}

/** The computers of a medium: at most `limit` of each verdict, with the full counts; null where it is not in service. */
export async function computersOf(context: Context, mediumId: MediumId, limit = 60): Promise<ChainedComputers | null> {
  const found = await computersOn(context, mediumId, limit);
  return (
    found && {
      counts: found.counts,
      items: found.items.flatMap(({ tag, name, site, routes }): ChainedComputer[] => {
        const route = answerOf(routes);
        return route ? [{ tag, name, site, route }] : [];
      }),
    }
  );
}

/** What stands on the labels of some media in service, in the order of their tags as asked for. */
export async function mediaLabels(context: Context, tags: string[]): Promise<Label[]> {
  if (tags.length === 0) return [];
  const rows = await context.db
    .select({ id: media.id, tag: media.tag, name: media.name, writtenOn: media.writtenOn })
    .from(media)
    .where(and(inArray(media.tag, tags), isNull(media.retiredAt)));
  const ids = rows.map(({ id }) => id);
  const [itsLoads, served] = await Promise.all([loadsOf(context.db, ids), servedBy(context, ids)]);
  const labels = rows.map(({ id, tag, name, writtenOn }, at): Label => {
    const carries = (itsLoads.get(id) ?? []).map(({ kitName, releaseName }) => `${kitName} ${releaseName}`);
    return { tag, name, carries, writtenOn, serves: served[at] ?? [] };
  });
  return tags.flatMap((tag) => labels.find((label) => label.tag.toLowerCase() === tag.toLowerCase()) ?? []);
}
