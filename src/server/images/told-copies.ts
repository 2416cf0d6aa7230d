import { and, eq } from "drizzle-orm";
import { z } from "zod";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ImageCopyId, ImageId, StoreId } from "../db/ids";
import { imageCopies, stores, systemImages } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { checked, fail, ok, type Result, refused } from "../problems";

/** Copies as people tell them: a scan that comes later finds the same one by its path or its name. */

const placeSchema = z.object({
  storeId: z.number({ error: "Choose a store." }).int(),
  /** Its file, or its folder, as the store shows it. */
  path: z
    .string()
    .trim()
    .min(1, "Enter the file or folder of the copy.")
    .max(500, "A path has at most 500 characters."),
});
const stateSchema = z.enum(["there", "missing"]);

interface Told {
  imageId: ImageId;
  image: string;
  store: string | null;
}

async function record(
  tx: Queries,
  context: Context,
  { imageId, image }: Told,
  was: object | null,
  is: object | null,
): Promise<void> {
  await recordEvent(tx, context, {
    ...{ entity: "image", entityId: imageId, entityTag: image, action: "changed", version: 0 },
    ...{ before: was && { copy: was }, after: is && { copy: is } },
  });
}

async function storeName(tx: Queries, id: StoreId): Promise<string | null> {
  const [store] = await tx.select({ name: stores.name }).from(stores).where(eq(stores.id, id));
  return store?.name ?? null;
}

/** Records that a copy of an image is in a store. Problems: `invalid`, `not-found`, `copy-there`. */
export async function addCopy(context: Context, imageId: ImageId, input: unknown): Promise<Result<number>> {
  const parsed = checked(placeSchema.extend({ state: stateSchema.default("there") }), input);
  if (!parsed.ok) return parsed;
  const { storeId, path, state } = parsed.value;
  return act(context, null, async ({ db: tx }) => {
    const [image] = await tx.select().from(systemImages).where(eq(systemImages.id, imageId));
    const store = await storeName(tx, storeId);
    if (!image || image.deletedAt) return fail({ code: "not-found", what: "image" });
    if (store === null) return fail({ code: "not-found", what: "store" });
    const [before] = await tx
      .select({ state: imageCopies.state, id: imageCopies.id })
      .from(imageCopies)
      .where(and(eq(imageCopies.imageId, imageId), eq(imageCopies.storeId, storeId)));
    if (before && before.state !== "missing") return refused({ code: "copy-there", store }, "storeId");
    const files = [{ path, bytes: 0, modified: null, isTold: true }];
    const set = { files, state, seenOn: state === "there" ? dayOf(context.now()) : null, updatedAt: context.now() };
    if (before) await tx.update(imageCopies).set(set).where(eq(imageCopies.id, before.id));
    else await tx.insert(imageCopies).values({ imageId, storeId, ...set, createdAt: context.now() });
    await record(tx, context, { imageId, image: image.name, store }, null, { store, path, state });
    return ok(imageId);
  });
}

interface KnownCopyRow extends Told {
  row: typeof imageCopies.$inferSelect;
}

async function copyOf(tx: Queries, id: ImageCopyId): Promise<KnownCopyRow | null> {
  const [found] = await tx
    .select({ row: imageCopies, imageId: systemImages.id, image: systemImages.name, store: stores.name })
    .from(imageCopies)
    .innerJoin(systemImages, eq(systemImages.id, imageCopies.imageId))
    .innerJoin(stores, eq(stores.id, imageCopies.storeId))
    .where(eq(imageCopies.id, id));
  return found ?? null;
}

const told = ({ row, store }: KnownCopyRow) => ({ store, path: row.files[0]?.path ?? null, state: row.state });

/** Records that a copy was moved: to another store, or within its own. Problems: `invalid`, `not-found`, `copy-there`. */
export async function moveCopy(context: Context, id: ImageCopyId, input: unknown): Promise<Result<number>> {
  const parsed = checked(placeSchema, input);
  if (!parsed.ok) return parsed;
  const { storeId, path } = parsed.value;
  return act(context, null, async ({ db: tx }) => {
    const copy = await copyOf(tx, id);
    if (!copy) return fail({ code: "not-found", what: "copy" });
    const store = await storeName(tx, storeId);
    if (store === null) return fail({ code: "not-found", what: "store" });
    const [other] = await tx
      .select({ id: imageCopies.id })
      .from(imageCopies)
      .where(and(eq(imageCopies.imageId, copy.imageId), eq(imageCopies.storeId, storeId)));
    if (other && other.id !== id) return refused({ code: "copy-there", store }, "storeId");
    // One file that moved keeps its size, its time and its checksum; of several only where the first is was told.
    const [only] = copy.row.files;
    const files =
      only && copy.row.files.length === 1 ? [{ ...only, path }] : [{ path, bytes: 0, modified: null, isTold: true }];
    const set = { storeId, files, state: "there" as const, seenOn: dayOf(context.now()), updatedAt: context.now() };
    await tx.update(imageCopies).set(set).where(eq(imageCopies.id, id));
    await record(tx, context, copy, told(copy), { store, path, state: "there" });
    return ok(copy.imageId);
  });
}

/** Records that a copy is there, or is missing. Problems: `invalid`, `not-found`. */
export async function setCopyState(context: Context, id: ImageCopyId, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ state: stateSchema }), { state: input });
  if (!parsed.ok) return parsed;
  const { state } = parsed.value;
  return act(context, null, async ({ db: tx }) => {
    const copy = await copyOf(tx, id);
    if (!copy) return fail({ code: "not-found", what: "copy" });
    const seen = state === "there" ? { seenOn: dayOf(context.now()) } : {};
    await tx
      .update(imageCopies)
      .set({ state, ...seen, updatedAt: context.now() })
      .where(eq(imageCopies.id, id));
    await record(tx, context, copy, told(copy), { ...told(copy), state });
    return ok(copy.imageId);
  });
}
