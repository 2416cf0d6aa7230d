import { asc, eq, isNull } from "drizzle-orm";
import { type ImageBody, type ImagePart, type ImagePlace, imageBodySchema } from "@/core/judging/model/parts";
import type { Queries } from "../db/client";
import { computers, imageCopies, systemImages } from "../db/schema";
import { storePlaces } from "./stores";

/** Every image, as chains are judged from it. */
export async function imageParts(queries: Queries): Promise<ImagePart[]> {
  const [rows, copies, places] = await Promise.all([
    queries
      .select({
        rowId: systemImages.id,
        id: systemImages.name,
        computer: computers.tag,
        takenAt: systemImages.takenAt,
        body: systemImages.body,
      })
      .from(systemImages)
      .innerJoin(computers, eq(computers.id, systemImages.computerId))
      .where(isNull(systemImages.deletedAt))
      .orderBy(asc(systemImages.id)),
    queries
      .select({
        imageId: imageCopies.imageId,
        storeId: imageCopies.storeId,
        state: imageCopies.state,
        verifiedOn: imageCopies.verifiedOn,
        verifiedWhole: imageCopies.verifiedWhole,
      })
      .from(imageCopies),
    storePlaces(queries),
  ]);
  const byImage = new Map<number, typeof copies>();
  for (const copy of copies) byImage.set(copy.imageId, [...(byImage.get(copy.imageId) ?? []), copy]);
  return rows.flatMap(({ rowId, id, computer, takenAt, body }) => {
    const parsed = imageBodySchema.safeParse(body);
    if (!parsed.success) return [];
    const parts = byImage.get(rowId) ?? [];
    return [{ ...withCopies(parsed.data, parts, places), id, computer, takenAt: takenAt.toISOString() }];
  });
}

type Copy = Pick<typeof imageCopies.$inferSelect, "storeId" | "state" | "verifiedOn" | "verifiedWhole">;

/** An image with where its copies are, and what is known of their being whole. */
export function withCopies(
  body: ImageBody,
  copies: readonly Copy[],
  places: ReadonlyMap<number, ImagePlace>,
): ImageBody {
  const there = copies.filter(({ state, storeId }) => state === "there" && places.has(storeId));
  const all = [...body.places, ...there.flatMap(({ storeId }) => places.get(storeId) ?? [])];
  const dated = there
    .flatMap(({ verifiedOn: on, verifiedWhole: whole }) => (on === null ? [] : [{ on, whole: whole ?? false }]))
    .sort((a, b) => Number(b.whole) - Number(a.whole) || b.on.localeCompare(a.on));
  return {
    ...body,
    places: all,
    // One copy that is whole is enough; that another is not, its store says.
    verified: dated[0] ?? body.verified,
    // What was told of it as a whole holds where no copy is recorded.
    lost: copies.length > 0 ? all.length === 0 : (body.lost ?? false),
  };
}
