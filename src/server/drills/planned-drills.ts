import { and, asc, eq, isNull } from "drizzle-orm";
import { z } from "zod";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { PlannedDrillId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { computers, media, plannedDrills } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { checked, fail, ok, type Result, refused } from "../problems";

const schema = z.object({
  medium: z.string().trim().min(1, "The medium's tag is needed."),
  computer: z.string().trim().min(1, "The computer's tag is needed."),
  dueOn: z.iso.date("A day is year, month and day, such as 2026-03-01."),
});

/**
 * Plans a drill by a day. One that is planned for the two already is moved to that day. Problems: `invalid`.
 */
export async function planDrill(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(schema, input);
  if (!parsed.ok) return parsed;
  const { dueOn, ...tags } = parsed.value;
  if (dueOn < dayOf(context.now())) return refused({ code: "day-past-drill" }, "dueOn");
  return act(context, null, ({ db: tx }) => planDrillIn(tx, context, { ...tags, dueOn }));
}

/** The same within a transaction, with what was checked before. Problems: `invalid`. */
export async function planDrillIn(
  tx: Queries,
  context: Context,
  { dueOn, ...tags }: z.output<typeof schema>,
): Promise<Result<number>> {
  const [medium] = await tx
    .select({ id: media.id, tag: media.tag })
    .from(media)
    .where(and(eq(media.tag, tags.medium), isNull(media.retiredAt)))
    // Two that plan the same at once wait for each other.
    .for("update");
  if (!medium) return refused({ code: "not-in-service", what: "medium", tag: tags.medium }, "medium");
  const [computer] = await tx
    .select({ id: computers.id, tag: computers.tag })
    .from(computers)
    .where(and(eq(computers.tag, tags.computer), isNull(computers.retiredAt)));
  if (!computer) return refused({ code: "not-in-service", what: "computer", tag: tags.computer }, "computer");
  const event = { entity: "planned drill", entityTag: `${medium.tag} on ${computer.tag}`, version: 1 } as const;
  const [open] = await tx
    .select({ id: plannedDrills.id, dueOn: plannedDrills.dueOn })
    .from(plannedDrills)
    .where(
      and(
        eq(plannedDrills.mediumId, medium.id),
        eq(plannedDrills.computerId, computer.id),
        isNull(plannedDrills.endedAt),
      ),
    );
  if (open) {
    if (open.dueOn === dueOn) return ok(open.id);
    await tx.update(plannedDrills).set({ dueOn }).where(eq(plannedDrills.id, open.id));
    const change = { before: { dueOn: open.dueOn }, after: { dueOn } };
    await recordEvent(tx, context, { ...event, entityId: open.id, action: "changed", ...change });
    return ok(open.id);
  }
  const row = await tx
    .insert(plannedDrills)
    .values({
      ...{ mediumId: medium.id, computerId: computer.id, dueOn },
      ...{ personId: context.person.id, createdAt: context.now() },
    })
    .$returningId();
  const id = insertedId(row);
  const added = { before: null, after: { medium: medium.tag, computer: computer.tag, dueOn }, note: dueOn };
  await recordEvent(tx, context, { ...event, entityId: id, action: "planned", ...added });
  return ok(id);
}

/** Withdraws a drill that will not be held. Problems: `not-found`. */
export async function withdrawDrill(context: Context, id: PlannedDrillId): Promise<Result<number>> {
  return act(context, null, async ({ db: tx }) => {
    const [found] = await tx
      .select({ dueOn: plannedDrills.dueOn, medium: media.tag, computer: computers.tag })
      .from(plannedDrills)
      .innerJoin(media, eq(media.id, plannedDrills.mediumId))
      .innerJoin(computers, eq(computers.id, plannedDrills.computerId))
      .where(and(eq(plannedDrills.id, id), isNull(plannedDrills.endedAt)))
      .for("update");
    if (!found) return fail({ code: "not-found", what: "planned drill" });
    await tx.update(plannedDrills).set({ endedAt: context.now() }).where(eq(plannedDrills.id, id));
    await recordEvent(tx, context, {
      ...{ entity: "planned drill", entityId: id, entityTag: `${found.medium} on ${found.computer}`, version: 1 },
      ...{ action: "withdrew", before: { dueOn: found.dueOn }, after: null, note: found.dueOn },
    });
    return ok(id);
  });
}

export interface PlannedDrill {
  id: PlannedDrillId;
  medium: string;
  computer: string;
  dueOn: string;
  isOverdue: boolean;
  by: string;
}

/** Drills to be held, of media in use and computers in service, the longest overdue first; at most `limit`. */
export async function plannedOf(context: Context, limit = 200): Promise<PlannedDrill[]> {
  const today = dayOf(context.now());
  const rows = await context.db
    .select({
      id: plannedDrills.id,
      medium: media.tag,
      computer: computers.tag,
      dueOn: plannedDrills.dueOn,
      by: nameOf(plannedDrills.personId),
    })
    .from(plannedDrills)
    .innerJoin(media, eq(media.id, plannedDrills.mediumId))
    .innerJoin(computers, eq(computers.id, plannedDrills.computerId))
    .where(and(isNull(plannedDrills.endedAt), isNull(media.retiredAt), isNull(computers.retiredAt)))
    .orderBy(asc(plannedDrills.dueOn), asc(plannedDrills.id))
    .limit(limit);
  return rows.map((row) => ({ ...row, isOverdue: row.dueOn < today }));
}
