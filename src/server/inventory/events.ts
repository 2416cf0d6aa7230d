import { and, desc, eq, gt } from "drizzle-orm";
import { equalJson } from "@/core/kernel/equal-json";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { insertRows } from "../db/insert-rows";
import { events } from "../db/schema";
import type { StaleChange } from "../problems";
import { unpacked } from "./list-store";
import { holdToSites } from "./site-limits";

export type Entity =
  | "computer"
  | "medium"
  | "site"
  | "kit"
  | "release"
  | "key card"
  | "calendar"
  | "drill"
  | "planned drill"
  | "image"
  | "rehearsal"
  | "berth"
  | "device"
  | "store"
  | "call-out"
  | "policy"
  | "way"
  | "cover plan"
  | "upkeep"
  | "person"
  | "token"
  | "library file"
  | "organisation"
  | "bench host";
export type Action =
  | "added"
  | "changed"
  | "retired"
  | "brought back"
  | "took in facts of"
  | "moved"
  | "replaced a disk of"
  | "copied"
  | "imported"
  | "undid a change of"
  | "noted a change of"
  | "withdrew a change of"
  | "reported a change of"
  | "planned"
  | "withdrew"
  | "put off"
  | "took up"
  | "was called to"
  | "worked on"
  | "handed back"
  | "ended"
  | "removed";

export interface Change {
  entity: Entity;
  entityId: number;
  entityTag: string;
  action: Action;
  version: number;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
  note?: string | null;
}

/** Writes a change to the event log, in the same transaction as the change itself. */
export async function recordEvent(tx: Queries, context: Context, change: Change): Promise<void> {
  await holdToSites(tx, context, [change]);
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
    note: change.note ?? null,
  });
}

/** Writes many changes to the event log, in the same transaction as they. */
export async function recordEvents(
  tx: Queries,
  context: Context,
  rows: (typeof events.$inferInsert & { entity: Entity; action: Action })[],
): Promise<void> {
  await holdToSites(tx, context, rows);
  await insertRows(tx, events, rows);
}

type Fields = Record<string, unknown>;

const isFields = (value: unknown): value is Fields =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** The fields that differ, as they were and as they are; of groups only what differs in them. Null where nothing does. */
export function difference(before: Fields, after: Fields): { before: Fields; after: Fields } | null {
  const was: Fields = {};
  const is: Fields = {};
  for (const field of Object.keys(after)) {
    const [one, other] = [before[field] ?? null, after[field] ?? null];
    if (equalJson(one, other)) continue;
    const inside = isFields(one) && isFields(other) ? difference(one, { ...nulls(one), ...other }) : null;
    was[field] = inside ? inside.before : one;
    is[field] = inside ? inside.after : other;
  }
  return Object.keys(is).length > 0 ? { before: was, after: is } : null;
}

/** Members that the other has no more are told as nothing. */
function nulls(fields: Fields): Fields {
  return Object.fromEntries(Object.keys(fields).map((field) => [field, null]));
}

/** Fields with a logged difference laid over them: what it does not speak of stays. */
export function withDifference(fields: Fields, told: Fields): Fields {
  const result: Fields = { ...fields };
  for (const [field, value] of Object.entries(told)) {
    const change = fields[field];
    result[field] = isFields(value) && isFields(change) ? withDifference(change, value) : value;
  }
  return result;
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

/** What happened to one thing, latest first. */
export async function history(
  context: Context,
  entity: Entity,
  entityId: number,
  limit = 50,
): Promise<(typeof events.$inferSelect)[]> {
  const rows = await context.db
    .select()
    .from(events)
    .where(and(eq(events.entity, entity), eq(events.entityId, entityId)))
    .orderBy(desc(events.id))
    .limit(limit);
  const sides = await unpacked(
    context.db,
    rows.flatMap(({ before, after }) => [before ?? {}, after ?? {}]),
  );
  return rows.map((row, index) => ({
    ...row,
    before: row.before && (sides[index * 2] ?? null),
    after: row.after && (sides[index * 2 + 1] ?? null),
  }));
}
