import { and, desc, eq, getTableColumns, gt, isNull } from "drizzle-orm";
import { z } from "zod";
import { dayOf, daysBetween } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { SnoozeId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { snoozes } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { checked, fail, ok, type Result, refused } from "../problems";

export type SnoozeRow = typeof snoozes.$inferSelect & { personName: string };

/** What was put off and is not due again yet, the latest first. */
export function openSnoozes(context: Context, today: string): Promise<SnoozeRow[]> {
  return context.db
    .select({ ...getTableColumns(snoozes), personName: nameOf(snoozes.personId) })
    .from(snoozes)
    .where(and(isNull(snoozes.endedAt), gt(snoozes.until, today)))
    .orderBy(desc(snoozes.id));
}

const snoozeSchema = z.object({
  key: z.string().min(1).max(400),
  until: z.iso.date("A day is year, month and day, such as 2026-12-24."),
  why: z.string().trim().min(3, "Enter a reason for whoever looks next.").max(300),
});
const SNOOZE_MOST_DAYS = 366;

/** Puts something off until a day, with a reason. Problems: `invalid`, `not-found`. Gives the snooze's id. */
export async function snoozeDue(
  context: Context,
  input: unknown,
  isDue: (key: string) => Promise<boolean>,
): Promise<Result<number>> {
  const parsed = checked(snoozeSchema, input);
  if (!parsed.ok) return parsed;
  const { key, until, why } = parsed.value;
  const today = dayOf(context.now());
  if (until <= today) return refused({ code: "day-not-ahead" }, "until");
  if (daysBetween(today, until) > SNOOZE_MOST_DAYS) return refused({ code: "day-too-far" }, "until");
  if (!(await isDue(key))) return fail({ code: "not-found", what: "thing that is due" });
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    await tx
      .update(snoozes)
      .set({ endedAt: context.now() })
      .where(and(eq(snoozes.dueKey, key), isNull(snoozes.endedAt)));
    const row = await tx
      .insert(snoozes)
      .values({ dueKey: key, until, why, personId: context.person.id, createdAt: context.now() })
      .$returningId();
    const id = insertedId(row);
    await recordEvent(tx, context, {
      ...{ entity: "upkeep", entityId: id, entityTag: key.slice(0, 120), action: "put off", version: 1 },
      ...{ before: null, after: { until }, note: why },
    });
    return ok(id);
  });
}

/** Takes back what was put off: it is due again. Problems: `not-found`. */
export async function takeUp(context: Context, snoozeId: SnoozeId): Promise<Result<number>> {
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const [row] = await tx
      .select()
      .from(snoozes)
      .where(and(eq(snoozes.id, snoozeId), isNull(snoozes.endedAt)))
      .for("update");
    if (!row) return fail({ code: "not-found", what: "postponed item" });
    await tx.update(snoozes).set({ endedAt: context.now() }).where(eq(snoozes.id, row.id));
    await recordEvent(tx, context, {
      ...{ entity: "upkeep", entityId: row.id, entityTag: row.dueKey.slice(0, 120), action: "took up", version: 2 },
      ...{ before: { until: row.until }, after: null },
    });
    return ok(row.id);
  });
}
