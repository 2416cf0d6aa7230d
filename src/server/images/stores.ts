import { and, asc, desc, eq, inArray, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { KEY_REFUSED, looksLikeKey } from "@/core/computer/facts/key-place";
import { type Growth, growthOf, USUAL_RATES } from "@/core/images/forecast";
import { compilePattern } from "@/core/images/names";
import type { ImagePlace } from "@/core/judging/model/parts";
import { dayOf } from "@/core/kernel/days";
import { patternProblemText } from "@/core/words/images";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ComputerId, ImageId, MediumId, StoreId } from "../db/ids";
import { insertedId } from "../db/results";
import { computers, imageCopies, media, STORE_KINDS, sites, storeFills, stores, systemImages } from "../db/schema";
import { difference, recordEvent } from "../inventory/events";
import { nameSchema } from "../inventory/named";
import { saveVersioned } from "../inventory/versioned";
import { checked, fail, ok, type Result, refused } from "../problems";

export type StoreRow = typeof stores.$inferSelect;
export type StoreKind = (typeof STORE_KINDS)[number];

const blank = (value: string | null | undefined) => value?.trim() || null;
const optional = (length: number) => z.string().max(length).nullish().transform(blank);
const bytes = z.number().int().nonnegative().max(Number.MAX_SAFE_INTEGER).nullable();
const rate = z
  .number()
  .int()
  .positive()
  .max(2_000_000_000)
  .nullish()
  .transform((value) => value ?? null);

const storeInputSchema = z
  .object({
    name: nameSchema,
    kind: z.enum(STORE_KINDS),
    /** Tags of what it is a part of. */
    medium: optional(60),
    computer: optional(120),
    diskSerial: optional(120),
    siteId: z.number().int().nullable(),
    reachedFrom: z.array(z.number().int()).max(500).nullable(),
    address: optional(300).refine(
      (value) => value === null || !/\/\/[^/@\s]*:[^/@\s]*@/.test(value),
      "Leave the password out of the address: who needs it knows it.",
    ),
    account: optional(120),
    encrypted: z
      .boolean()
      .nullish()
      .transform((value) => value ?? null),
    keyPlace: optional(200).refine((value) => value === null || !looksLikeKey(value), KEY_REFUSED),
    link: z
      .enum(Object.keys(USUAL_RATES) as [keyof typeof USUAL_RATES])
      .nullish()
      .transform((value) => value ?? null),
    capacityBytes: bytes,
    freeBytes: bytes,
    writeRate: rate,
    readRate: rate,
    folder: optional(120).refine(
      (value) => value === null || /^[\w. -]+$/.test(value),
      "A folder is one name, without slashes.",
    ),
    namePattern: optional(200),
    note: optional(4000),
  })
  .superRefine((value, refinement) => {
    const need = (path: string, message: string) => refinement.addIssue({ code: "custom", path: [path], message });
    if (value.kind === "medium" && !value.medium) need("medium", "Which medium is it on?");
    if (value.kind === "computer" && !value.computer) need("computer", "Which computer is it in?");
    if (value.capacityBytes !== null && value.freeBytes !== null && value.freeBytes > value.capacityBytes)
      need("freeBytes", "There cannot be more free than it holds.");
    if (value.namePattern) {
      const compiled = compilePattern(value.namePattern);
      if (!compiled.ok) need("namePattern", compiled.problems.map(patternProblemText).join(" "));
    }
  });
export type StoreInput = z.infer<typeof storeInputSchema>;

async function columnsOf(
  context: Context,
  input: StoreInput,
): Promise<
  Result<
    Omit<StoreInput, "medium" | "computer"> & {
      mediumId: MediumId | null;
      computerId: ComputerId | null;
      measuredOn: string | null;
    }
  >
> {
  const { medium, computer, ...columns } = input;
  const [onMedium] = medium ? await context.db.select({ id: media.id }).from(media).where(eq(media.tag, medium)) : [];
  const [inComputer] = computer
    ? await context.db.select({ id: computers.id }).from(computers).where(eq(computers.tag, computer))
    : [];
  if (input.kind === "medium" && !onMedium)
    return refused({ code: "no-such-tag", what: "medium", tag: medium ?? "" }, "medium");
  if (input.kind === "computer" && !inComputer)
    return refused({ code: "no-such-tag", what: "computer", tag: computer ?? "" }, "computer");
  const measuredOn = columns.freeBytes === null ? null : dayOf(context.now());
  return ok({
    ...columns,
    mediumId: input.kind === "medium" ? (onMedium?.id ?? null) : null,
    computerId: input.kind === "computer" ? (inComputer?.id ?? null) : null,
    measuredOn,
  });
}

/** Notes how full a store is today. */
export async function noteFill(queries: Queries, storeId: StoreId, on: string, usedBytes: number): Promise<void> {
  await queries.insert(storeFills).values({ storeId, on, usedBytes }).onDuplicateKeyUpdate({ set: { usedBytes } });
}

async function fillFrom(
  tx: Queries,
  storeId: StoreId,
  {
    capacityBytes,
    freeBytes,
    measuredOn,
  }: { capacityBytes: number | null; freeBytes: number | null; measuredOn: string | null },
): Promise<void> {
  if (capacityBytes !== null && freeBytes !== null && measuredOn !== null)
    await noteFill(tx, storeId, measuredOn, capacityBytes - freeBytes);
}

/** Registers a store. Problems: `invalid`, `taken`. Gives its id. */
export async function addStore(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(storeInputSchema, input);
  if (!parsed.ok) return parsed;
  const columns = await columnsOf(context, parsed.value);
  if (!columns.ok) return columns;
  const { name } = parsed.value;
  return act(context, { field: "name", value: name }, async ({ db: tx }) => {
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const row = await tx
      .insert(stores)
      .values({ ...columns.value, ...times })
      .$returningId();
    const id = insertedId(row);
    await fillFrom(tx, id, columns.value);
    await recordEvent(tx, context, {
      ...{ entity: "store", entityId: id, entityTag: name, action: "added", version: 1, before: null },
      after: parsed.value,
    });
    return ok(id);
  });
}

/** Saves a store as edited from `version`. Problems: `invalid`, `taken`, `stale`, `not-found`. */
export async function saveStore(
  context: Context,
  id: StoreId,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(storeInputSchema, input);
  if (!parsed.ok) return parsed;
  const columns = await columnsOf(context, parsed.value);
  if (!columns.ok) return columns;
  const detail = await getStore(context, id);
  if (!detail) return fail({ code: "not-found", what: "store" });
  const change = difference(storeInputOf(detail), parsed.value);
  if (!change) return ok(detail.row.version);
  return act(context, { field: "name", value: parsed.value.name }, async ({ db: tx }) => {
    const saved = await saveVersioned(tx, context, stores, {
      ...{ entity: "store", id, version, tag: parsed.value.name, action: "changed" },
      set: columns.value,
      ...change,
    });
    if (saved.ok) await fillFrom(tx, id, columns.value);
    return saved;
  });
}

export function storeInputOf({ row, medium, computer }: StoreDetail): StoreInput {
  const { name, kind, diskSerial, siteId, reachedFrom, address, link, capacityBytes, freeBytes } = row;
  const { writeRate, readRate, folder, namePattern, note, account, encrypted, keyPlace } = row;
  return {
    ...{ account, encrypted, keyPlace },
    ...{ name, kind, medium, computer, diskSerial, siteId, reachedFrom, address },
    ...{ link: link as StoreInput["link"], capacityBytes, freeBytes, writeRate, readRate, folder, namePattern, note },
  };
}

/** Takes a store out of service, or back. Its copies are no way back from then on. */
export async function retireStore(
  context: Context,
  id: StoreId,
  version: number,
  retired: boolean,
): Promise<Result<number>> {
  const detail = await getStore(context, id);
  if (!detail) return fail({ code: "not-found", what: "store" });
  const retiredAt = retired ? context.now() : null;
  return act(context, null, ({ db: tx }) =>
    saveVersioned(tx, context, stores, {
      ...{ entity: "store", id, version, tag: detail.row.name, action: retired ? "retired" : "brought back" },
      set: { retiredAt },
      before: { retiredAt: detail.row.retiredAt?.toISOString() ?? null },
      after: { retiredAt: retiredAt?.toISOString() ?? null },
    }),
  );
}

export interface StoreItem {
  row: StoreRow;
  medium: string | null;
  computer: string | null;
  site: string | null;
  copies: number;
  copiedBytes: number;
}

const columns = { row: stores, medium: media.tag, computer: computers.tag, site: sites.name };

function storeRows(context: Context) {
  return context.db
    .select(columns)
    .from(stores)
    .leftJoin(media, eq(media.id, stores.mediumId))
    .leftJoin(computers, eq(computers.id, stores.computerId))
    .leftJoin(sites, eq(sites.id, stores.siteId));
}

/** Stores in use, by name. */
export function storeNames(context: Context): Promise<{ id: StoreId; name: string }[]> {
  return context.db
    .select({ id: stores.id, name: stores.name })
    .from(stores)
    .where(isNull(stores.retiredAt))
    .orderBy(asc(stores.name));
}

export async function listStores(context: Context): Promise<StoreItem[]> {
  const [rows, counts] = await Promise.all([
    storeRows(context).where(isNull(stores.retiredAt)).orderBy(asc(stores.name)),
    context.db
      .select({
        storeId: imageCopies.storeId,
        copies: sql<number>`COUNT(*)`,
        bytes: sql<number>`COALESCE(SUM(JSON_VALUE(${systemImages.body}, '$.storedBytes')), 0)`,
      })
      .from(imageCopies)
      .innerJoin(systemImages, eq(systemImages.id, imageCopies.imageId))
      .where(inArray(imageCopies.state, ["there", "changed"]))
      .groupBy(imageCopies.storeId),
  ]);
  const byStore = new Map(counts.map((each) => [each.storeId, each]));
  return rows.map((each) => {
    const figures = byStore.get(each.row.id);
    return { ...each, copies: Number(figures?.copies ?? 0), copiedBytes: Number(figures?.bytes ?? 0) };
  });
}

export interface StoreDetail {
  row: StoreRow;
  medium: string | null;
  computer: string | null;
  site: string | null;
}

export async function getStore(context: Context, id: StoreId): Promise<StoreDetail | null> {
  const [found] = await storeRows(context).where(eq(stores.id, id));
  return found ?? null;
}

/** A copy in a store, with its image. */
export interface StoredCopy {
  copy: typeof imageCopies.$inferSelect;
  image: { id: ImageId; name: string; takenAt: Date; computer: string; storedBytes: number | null };
  /** It lies in the computer that it is of: whatever takes that computer takes it along. */
  isLostWithIt: boolean;
}

export async function copiesIn(context: Context, store: StoreDetail, limit = 1000): Promise<StoredCopy[]> {
  const rows = await context.db
    .select({
      copy: imageCopies,
      id: systemImages.id,
      name: systemImages.name,
      takenAt: systemImages.takenAt,
      body: systemImages.body,
      computer: computers.tag,
    })
    .from(imageCopies)
    .innerJoin(systemImages, eq(systemImages.id, imageCopies.imageId))
    .innerJoin(computers, eq(computers.id, systemImages.computerId))
    .where(eq(imageCopies.storeId, store.row.id))
    .orderBy(asc(computers.tag), desc(systemImages.takenAt))
    .limit(limit);
  return rows.map(({ copy, body, ...image }) => ({
    copy,
    image: { ...image, storedBytes: body.storedBytes ?? null },
    isLostWithIt: store.computer !== null && store.computer === image.computer,
  }));
}

/** How full it was, and when it will be full. */
export async function growthIn(
  context: Context,
  { row }: StoreDetail,
): Promise<{ fills: { on: string; usedBytes: number }[]; growth: Growth | null }> {
  const fills = await context.db
    .select({ on: storeFills.on, usedBytes: storeFills.usedBytes })
    .from(storeFills)
    .where(eq(storeFills.storeId, row.id))
    .orderBy(asc(storeFills.on));
  return { fills, growth: row.capacityBytes === null ? null : growthOf(fills, row.capacityBytes) };
}

/** A store as a place from which an image comes back, as the chain judges it. */
function placeOf(
  { row, medium, computer, site }: StoreDetail,
  siteNames: ReadonlyMap<number, string>,
): ImagePlace | null {
  const { encrypted, keyPlace, address, account } = row;
  const lock = encrypted ? { encrypted, keyPlace } : {};
  switch (row.kind) {
    case "medium":
      return medium === null ? null : { on: "medium", tag: medium, ...lock };
    case "computer":
      return computer === null ? null : { on: "computer", tag: computer, diskSerial: row.diskSerial, ...lock };
    case "disk":
      return { on: "disk", name: row.name, site, ...lock };
    case "share":
    case "host":
    // A block device of the network is reached as a share is: by a kit that can, from where the network goes.
    case "block": {
      const from = row.reachedFrom?.flatMap((id) => siteNames.get(id) ?? []) ?? null;
      return { on: "share", name: row.name, sites: from, address, account, ...lock };
    }
  }
}

/** Stores in service by id, as places. */
export async function storePlaces(queries: Queries): Promise<Map<number, ImagePlace>> {
  const [rows, names] = await Promise.all([
    queries
      .select(columns)
      .from(stores)
      .leftJoin(media, and(eq(media.id, stores.mediumId), isNull(media.retiredAt)))
      .leftJoin(computers, eq(computers.id, stores.computerId))
      .leftJoin(sites, eq(sites.id, stores.siteId))
      .where(isNull(stores.retiredAt)),
    queries.select({ id: sites.id, name: sites.name }).from(sites),
  ]);
  const siteNames = new Map(names.map(({ id, name }) => [id, name]));
  const places = new Map<number, ImagePlace>();
  for (const row of rows) {
    const place = placeOf(row, siteNames);
    if (place) places.set(row.row.id, place);
  }
  return places;
}
