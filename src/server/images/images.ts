import { and, asc, desc, eq, inArray, isNull, like, or, sql } from "drizzle-orm";
import { z } from "zod";
import { type Lineage, lineagesOf, type StoredPoint } from "@/core/images/lineage";
import type { CopiedFile } from "@/core/images/report";
import type { RetainedPoint } from "@/core/images/retention";
import { type ImageBody, imageBodySchema } from "@/core/judging/model/parts";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ImageId, StoreId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, imageCopies, stores, systemImages } from "../db/schema";
import { difference, recordEvent } from "../inventory/events";
import { saveVersioned } from "../inventory/versioned";
import { checked, fail, ok, type Result } from "../problems";
import { withCopies } from "./image-parts";
import { storePlaces } from "./stores";

const imageInputSchema = z.object({
  name: z.string().trim().min(1, "A name is needed.").max(200),
  computer: z.string().trim().min(1, "The computer's tag is needed."),
  takenAt: z.iso.datetime({ offset: true, error: "A time is such as 2026-03-01T09:30:00Z." }),
  body: imageBodySchema,
});
export type ImageInput = z.input<typeof imageInputSchema>;

type ImageRow = typeof systemImages.$inferSelect;

async function computerIdOf(queries: Queries, tag: string): Promise<number | null> {
  const [computer] = await queries.select({ id: computers.id }).from(computers).where(eq(computers.tag, tag));
  return computer?.id ?? null;
}

/** Records a system image of a computer. Problems: `invalid`, `taken`, `not-found`. Gives its id. */
export async function recordImage(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(imageInputSchema, input);
  if (!parsed.ok) return parsed;
  const { name, computer: tag, takenAt, body } = parsed.value;
  return act(context, { field: "name", value: name }, async ({ db: tx }) => {
    const computerId = await computerIdOf(tx, tag);
    if (computerId === null) return fail({ code: "not-found", what: "computer", name: tag });
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const row = await tx
      .insert(systemImages)
      .values({ name, computerId, takenAt: new Date(takenAt), body, ...times })
      .$returningId();
    const id = insertedId(row);
    await recordEvent(tx, context, {
      entity: "image",
      entityId: id,
      entityTag: name,
      action: "added",
      version: 1,
      before: null,
      after: { computer: tag, takenAt, ...body },
    });
    return ok(id);
  });
}

/** Saves an image as edited from `version`. Problems: `invalid`, `taken`, `stale`, `not-found`. */
export async function saveImage(
  context: Context,
  id: ImageId,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(imageInputSchema, input);
  if (!parsed.ok) return parsed;
  const { name, computer, takenAt, body } = parsed.value;
  const detail = await getImage(context, id);
  if (!detail) return fail({ code: "not-found", what: "image" });
  const told = ({ body: its, ...rest }: z.output<typeof imageInputSchema>) => ({ ...rest, ...its });
  const change = difference(told(imageInputOf(detail)), told(parsed.value));
  if (!change) return ok(detail.row.version);
  return act(context, { field: "name", value: name }, async ({ db: tx }) => {
    const computerId = await computerIdOf(tx, computer);
    if (computerId === null) return fail({ code: "not-found", what: "computer", name: computer });
    return saveVersioned(tx, context, systemImages, {
      ...{ entity: "image", id, version, tag: name, action: "changed" },
      set: { name, computerId, takenAt: new Date(takenAt), body },
      ...change,
    });
  });
}

export function imageInputOf({
  row,
  computer,
}: Pick<ImageDetail, "row" | "computer">): z.output<typeof imageInputSchema> {
  return { name: row.name, computer, takenAt: row.takenAt.toISOString(), body: imageBodySchema.parse(row.body) };
}

/** Says that an image was deleted, by whoever did; what was known of it stays. */
export async function forgetImages(context: Context, ids: readonly number[]): Promise<Result<number>> {
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    let count = 0;
    for (const id of ids) {
      const [row] = await tx.select().from(systemImages).where(eq(systemImages.id, id)).for("update");
      if (!row || row.deletedAt) continue;
      const deletedAt = context.now();
      const saved = await saveVersioned(tx, context, systemImages, {
        ...{ entity: "image", id, version: row.version, tag: row.name, action: "retired" },
        set: { deletedAt },
        before: { deletedAt: null },
        after: { deletedAt: deletedAt.toISOString() },
      });
      if (!saved.ok) return saved;
      count++;
    }
    return ok(count);
  });
}

export interface ImageItem {
  id: ImageId;
  name: string;
  computer: string;
  takenAt: Date;
  body: ImageBody;
  lineage: Lineage;
  /** Stores with a copy. */
  in: string[];
}

/** A filter of the list of images. */
export interface ImageFilter {
  text?: string | undefined;
  computer?: string | undefined;
}

export const IMAGES_PAGE = 60;

/** Images, those of one computer together, the latest first; with what their lineages come to. */
export async function listImages(
  context: Context,
  filter: ImageFilter,
  page = 1,
): Promise<{ items: ImageItem[]; total: number }> {
  const pattern = filter.text?.trim() ? `%${filter.text.trim().replace(/[\\%_]/g, "\\$&")}%` : null;
  const where = and(
    isNull(systemImages.deletedAt),
    pattern ? or(like(systemImages.name, pattern), like(computers.tag, pattern)) : undefined,
    filter.computer ? eq(computers.tag, filter.computer) : undefined,
  );
  const [[count], rows] = await Promise.all([
    context.db
      .select({ total: sql<number>`COUNT(*)` })
      .from(systemImages)
      .innerJoin(computers, eq(computers.id, systemImages.computerId))
      .where(where),
    context.db
      .select({ row: systemImages, computer: computers.tag })
      .from(systemImages)
      .innerJoin(computers, eq(computers.id, systemImages.computerId))
      .where(where)
      .orderBy(asc(computers.tag), desc(systemImages.takenAt))
      .limit(IMAGES_PAGE)
      .offset((Math.max(1, page) - 1) * IMAGES_PAGE),
  ]);
  const all = await imagesOfComputers(context, [...new Set(rows.map(({ row }) => row.computerId))]);
  const lineages = lineagesOf(all.map(({ point }) => point));
  const byId = new Map(all.map((each) => [each.id, each]));
  const items = rows.flatMap(({ row, computer }): ImageItem[] => {
    const item = byId.get(row.id);
    const lineage = lineages.get(row.name);
    return item && lineage
      ? [{ id: row.id, name: row.name, computer, takenAt: row.takenAt, body: item.body, lineage, in: item.in }]
      : [];
  });
  return { items, total: Number(count?.total ?? 0) };
}

export interface ImageOfComputer {
  id: ImageId;
  body: ImageBody;
  point: RetainedPoint;
  in: string[];
}

/** All images of some computers as points in time; null: of every computer. */
export async function imagesOfComputers(
  context: Context,
  computerIds: readonly number[] | null,
): Promise<ImageOfComputer[]> {
  if (computerIds?.length === 0) return [];
  const wanted = and(
    isNull(systemImages.deletedAt),
    computerIds ? inArray(systemImages.computerId, [...computerIds]) : undefined,
  );
  const [rows, copies, places] = await Promise.all([
    context.db
      .select({ row: systemImages, computer: computers.tag })
      .from(systemImages)
      .innerJoin(computers, eq(computers.id, systemImages.computerId))
      .where(wanted)
      .orderBy(asc(systemImages.id)),
    context.db
      .select({
        imageId: imageCopies.imageId,
        storeId: imageCopies.storeId,
        state: imageCopies.state,
        verifiedOn: imageCopies.verifiedOn,
        verifiedWhole: imageCopies.verifiedWhole,
        store: stores.name,
      })
      .from(imageCopies)
      .innerJoin(stores, eq(stores.id, imageCopies.storeId))
      .innerJoin(systemImages, eq(systemImages.id, imageCopies.imageId))
      .where(wanted),
    storePlaces(context.db),
  ]);
  const byImage = new Map<number, typeof copies>();
  for (const copy of copies) byImage.set(copy.imageId, [...(byImage.get(copy.imageId) ?? []), copy]);
  return rows.flatMap(({ row, computer }) => {
    const parts = byImage.get(row.id) ?? [];
    const parsed = imageBodySchema.safeParse(row.body);
    if (!parsed.success) return [];
    const body = withCopies(parsed.data, parts, places);
    const point: RetainedPoint = {
      ...{ id: row.name, computer, takenAt: row.takenAt.toISOString(), kind: body.kind, parent: body.parent },
      ...{ verified: body.verified, isThere: body.places.length > 0 },
      ...{ locked: body.locked ?? false, storedBytes: body.storedBytes ?? null },
    };
    return [{ id: row.id, body, point, in: parts.filter(({ state }) => state === "there").map(({ store }) => store) }];
  });
}

export interface ImageDetail {
  row: ImageRow;
  computer: string;
  /** With its copies' places. */
  body: ImageBody;
  lineage: Lineage;
  copies: { copy: typeof imageCopies.$inferSelect; store: { id: StoreId; name: string } }[];
  /** Names of images that build on it. */
  dependents: string[];
  /** The points of its computer. */
  points: StoredPoint[];
}

export async function getImage(context: Context, id: ImageId): Promise<ImageDetail | null> {
  const [found] = await context.db
    .select({ row: systemImages, computer: computers.tag })
    .from(systemImages)
    .innerJoin(computers, eq(computers.id, systemImages.computerId))
    .where(eq(systemImages.id, id));
  if (!found || found.row.deletedAt) return null;
  const [all, copies] = await Promise.all([
    imagesOfComputers(context, [found.row.computerId]),
    context.db
      .select({ copy: imageCopies, store: { id: stores.id, name: stores.name } })
      .from(imageCopies)
      .innerJoin(stores, eq(stores.id, imageCopies.storeId))
      .where(eq(imageCopies.imageId, id))
      .orderBy(asc(stores.name)),
  ]);
  const points = all.map(({ point }) => point);
  const lineages = lineagesOf(points);
  const item = all.find((each) => each.id === id);
  const lineage = lineages.get(found.row.name);
  if (!item || !lineage) return null;
  const dependents = points.filter((point) => lineages.get(point.id)?.parts.slice(1).includes(found.row.name));
  return { ...found, body: item.body, lineage, copies, dependents: dependents.map((point) => point.id), points };
}

/** Notes a copy of an image in a store, new or as it is now. */
export async function noteCopy(
  queries: Queries,
  context: Context,
  copy: {
    imageId: ImageId;
    storeId: StoreId;
    files: CopiedFile[];
    state: "there" | "missing" | "changed";
    verified?: { on: string; whole: boolean } | null;
  },
): Promise<void> {
  const today = dayOf(context.now());
  const { imageId, storeId, files, state, verified } = copy;
  const set = {
    ...{ files, state, updatedAt: context.now() },
    ...(state === "missing" ? {} : { seenOn: today }),
    ...(verified ? { verifiedOn: verified.on, verifiedWhole: verified.whole } : {}),
  };
  await queries
    .insert(imageCopies)
    .values({ imageId, storeId, ...set, createdAt: context.now() })
    .onDuplicateKeyUpdate({ set: { ...set, version: sql`${imageCopies.version} + 1` } });
}
