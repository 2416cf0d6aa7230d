import { and, asc, eq, gte, isNull } from "drizzle-orm";
import { z } from "zod";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import type { Context } from "../context";
import type { NotedChangeId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { computers, notedChanges } from "../db/schema";
import { checked, fail, ok, type Result, refused } from "../problems";
import { recordEvent } from "./events";

const schema = z.object({
  computer: z.string().trim().min(1, "Which computer? Its tag is needed."),
  on: z.iso.date("A day is year, month and day, such as 2026-03-01."),
  what: z.string().trim().min(1, "What is to change, in a few words?").max(200, "At most 200 characters."),
});

/** Notes a change of a computer, to come or made, so that its image is due by it. Problems: `invalid`, `not-found`. */
export async function noteChange(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(schema, input);
  if (!parsed.ok) return parsed;
  const { computer: tag, on, what } = parsed.value;
  return act(context, null, async ({ db: tx }) => {
    const [computer] = await tx
      .select({ id: computers.id, tag: computers.tag, version: computers.version })
      .from(computers)
      .where(and(eq(computers.tag, tag), isNull(computers.retiredAt)));
    if (!computer) return refused({ code: "not-in-service", what: "computer", tag }, "computer");
    const row = await tx
      .insert(notedChanges)
      .values({ computerId: computer.id, on, what, personId: context.person.id, createdAt: context.now() })
      .$returningId();
    await recordEvent(tx, context, {
      ...{ entity: "computer", entityId: computer.id, entityTag: computer.tag, version: computer.version },
      ...{ action: "noted a change of", before: null, after: { on, what }, note: `${what}, ${on}` },
    });
    return ok(insertedId(row));
  });
}

/** Withdraws a change that will not be made, or was noted by mistake. Problems: `not-found`. */
export async function withdrawChange(context: Context, id: NotedChangeId): Promise<Result<number>> {
  return act(context, null, async ({ db: tx }) => {
    const [found] = await tx
      .select({
        on: notedChanges.on,
        what: notedChanges.what,
        id: computers.id,
        tag: computers.tag,
        version: computers.version,
      })
      .from(notedChanges)
      .innerJoin(computers, eq(computers.id, notedChanges.computerId))
      .where(and(eq(notedChanges.id, id), isNull(notedChanges.withdrawnAt)))
      .for("update");
    if (!found) return fail({ code: "not-found", what: "change" });
    await tx.update(notedChanges).set({ withdrawnAt: context.now() }).where(eq(notedChanges.id, id));
    await recordEvent(tx, context, {
      ...{ entity: "computer", entityId: found.id, entityTag: found.tag, version: found.version },
      ...{
        action: "withdrew a change of",
        before: { on: found.on, what: found.what },
        after: null,
        note: `${found.what}, ${found.on}`,
      },
    });
    return ok(id);
  });
}

export interface NotedItem {
  id: NotedChangeId;
  computer: string;
  on: string;
  what: string;
  by: string;
}

/** Changes to come of computers in service, the nearest first; at most `limit`. */
export async function changesAhead(context: Context, limit = 50): Promise<NotedItem[]> {
  const today = dayOf(context.now());
  return context.db
    .select({
      id: notedChanges.id,
      computer: computers.tag,
      on: notedChanges.on,
      what: notedChanges.what,
      by: nameOf(notedChanges.personId),
    })
    .from(notedChanges)
    .innerJoin(computers, eq(computers.id, notedChanges.computerId))
    .where(and(isNull(notedChanges.withdrawnAt), gte(notedChanges.on, today), isNull(computers.retiredAt)))
    .orderBy(asc(notedChanges.on), asc(notedChanges.id))
    .limit(limit);
}
