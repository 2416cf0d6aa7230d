import { and, asc, eq, inArray, sql } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { CalloutId } from "../db/ids";
import { nameOf } from "../db/results";
import { calloutMarks, callouts } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";

const PHOTO_BYTES_MAX = 8 << 20;
const PHOTO_TYPES = ["image/jpeg", "image/png", "image/webp"];

const markSchema = z.object({
  id: z.uuid(),
  step: z.string().min(1).max(40),
  kind: z.enum(["done", "undone", "failed", "note", "photo"]),
  at: z.iso.datetime({ offset: true }),
  text: z
    .string()
    .max(4000)
    .nullish()
    .transform((value) => value?.trim() || null),
  /** Base64. */
  photo: z
    .string()
    .max(Math.ceil((PHOTO_BYTES_MAX * 4) / 3) + 4)
    .nullish(),
  photoType: z.enum(PHOTO_TYPES as [string, ...string[]]).nullish(),
});

/** Takes in marks, in whatever order and however often they are sent. Gives how many are new. */
export async function takeMarks(context: Context, calloutId: CalloutId, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ marks: z.array(markSchema).max(500) }), { marks: input });
  if (!parsed.ok) return parsed;
  const [row] = await context.db.select({ id: callouts.id }).from(callouts).where(eq(callouts.id, calloutId));
  if (!row) return fail({ code: "not-found", what: "call-out" });
  const { marks } = parsed.value;
  if (marks.length === 0) return ok(0);
  return act(context, null, async (acting) => {
    const earlier = await acting.db
      .select({ id: calloutMarks.id })
      .from(calloutMarks)
      .where(
        inArray(
          calloutMarks.id,
          marks.map(({ id }) => id),
        ),
      );
    const had = new Set(earlier.map(({ id }) => id));
    const fresh = marks.filter(({ id }, at) => !had.has(id) && marks.findIndex((each) => each.id === id) === at);
    const rows = fresh.map(({ photo, at, photoType, ...mark }) => ({
      ...mark,
      calloutId,
      at: new Date(at),
      photo: photo ? Buffer.from(photo, "base64") : null,
      photoType: photoType ?? null,
      personId: context.person.id,
      createdAt: context.now(),
    }));
    // A picture may fill what the database takes at once: each goes by itself.
    const together = rows.filter(({ photo }) => photo === null);
    for (const text of [
      ...(together.length > 0 ? [together] : []),
      ...rows.filter(({ photo }) => photo).map((row) => [row]),
    ])
      await acting.db
        .insert(calloutMarks)
        .values(text)
        // Sent twice at the same moment: the first one stands.
        .onDuplicateKeyUpdate({ set: { id: sql`${calloutMarks.id}` } });
    return ok(fresh.length);
  });
}

export interface Mark {
  id: string;
  step: string;
  kind: "done" | "undone" | "failed" | "note" | "photo";
  at: string;
  text: string | null;
  personName: string;
}

/** The marks of a call-out in the order in which they were made, without their pictures. */
export async function marksOf(context: Context, calloutId: CalloutId): Promise<Mark[]> {
  const rows = await context.db
    .select({
      id: calloutMarks.id,
      step: calloutMarks.step,
      kind: calloutMarks.kind,
      at: calloutMarks.at,
      text: calloutMarks.text,
      personName: nameOf(calloutMarks.personId),
    })
    .from(calloutMarks)
    .where(eq(calloutMarks.calloutId, calloutId))
    .orderBy(asc(calloutMarks.at), asc(calloutMarks.id))
    .limit(2000);
  return rows.map(({ at, ...mark }) => ({ ...mark, at: at.toISOString() }));
}

export async function photoOf(
  context: Context,
  calloutId: CalloutId,
  markId: string,
): Promise<{ bytes: Uint8Array; type: string } | null> {
  const [row] = await context.db
    .select({ photo: calloutMarks.photo, type: calloutMarks.photoType })
    .from(calloutMarks)
    .where(and(eq(calloutMarks.calloutId, calloutId), eq(calloutMarks.id, markId)));
  return row?.photo && row.type ? { bytes: row.photo, type: row.type } : null;
}
