import { and, desc, eq, gt } from "drizzle-orm";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { events } from "../db/schema";
import type { StaleChange } from "../problems";

export type Entity = "computer" | "medium" | "site" | "kit" | "release";
export type Action = "added" | "changed" | "retired" | "brought back";

export interface Change {
  entity: Entity;
  entityId: number;
  entityTag: string;
  action: Action;
  version: number;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
}

/** Writes a change to the event log, in the same transaction as the change itself. */
export async function recordEvent(tx: Queries, context: Context, change: Change): Promise<void> {
  await tx.insert(events).values({
    at: context.now(),
    personId: context.person.id,
    personName: context.person.name,
    entity: change.entity,
    entityId: change.entityId,
    entityTag: change.entityTag,
    action: change.action,
    entityVersion: change.version,
    before: change.before,
    after: change.after,
  });
}

/** The fields that differ, as they were and as they are. Null where nothing does. */
export function difference(
  before: Record<string, unknown>,
  after: Record<string, unknown>,
): { before: Record<string, unknown>; after: Record<string, unknown> } | null {
  const was: Record<string, unknown> = {};
  const is: Record<string, unknown> = {};
  for (const field of Object.keys(after)) {
    if (sameValue(before[field], after[field])) continue;
    was[field] = before[field] ?? null;
    is[field] = after[field] ?? null;
  }
  return Object.keys(is).length > 0 ? { before: was, after: is } : null;
}

function sameValue(a: unknown, b: unknown): boolean {
  return canonical(a ?? null) === canonical(b ?? null);
}

/** Key order does not count. */
function canonical(value: unknown): string {
  return JSON.stringify(value, (_key, each: unknown) =>
    typeof each === "object" && each !== null && !Array.isArray(each)
      ? Object.fromEntries(Object.entries(each).sort(([a], [b]) => (a < b ? -1 : 1)))
      : each,
  );
}

/** What happened to one thing since a version, field by field, latest value last; as committed, not as first read. */
export async function changesSince(
  queries: Queries,
  entity: Entity,
  entityId: number,
  version: number,
): Promise<StaleChange[]> {
  const rows = await queries
    .select()
    .from(events)
    .where(and(eq(events.entity, entity), eq(events.entityId, entityId), gt(events.entityVersion, version)))
    .orderBy(events.id)
    .for("update");
  return rows.flatMap((row) =>
    Object.keys(row.after ?? {}).map((field) => ({
      field,
      before: row.before?.[field] ?? null,
      after: row.after?.[field] ?? null,
      by: row.personName,
      at: row.at.toISOString(),
    })),
  );
}

export async function history(
  context: Context,
  entity: Entity,
  entityId: number,
  limit = 50,
): Promise<(typeof events.$inferSelect)[]> {
  return context.db
    .select()
    .from(events)
    .where(and(eq(events.entity, entity), eq(events.entityId, entityId)))
    .orderBy(desc(events.id))
    .limit(limit);
}
