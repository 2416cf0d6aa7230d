import { and, eq } from "drizzle-orm";
import type { MySqlColumn, MySqlTable } from "drizzle-orm/mysql-core";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { affectedRows } from "../db/results";
import { fail, ok, type Result } from "../problems";
import { type Action, changesSince, type Entity, recordEvent } from "./events";

type NumberedTable = MySqlTable & { id: MySqlColumn; version: MySqlColumn };
type VersionedTable = NumberedTable & { updatedAt: MySqlColumn };

export interface VersionedChange {
  entity: Entity;
  id: number;
  /** The version that the editor saw. */
  version: number;
  tag: string;
  action: Action;
  /** Columns to set. */
  set: Record<string, unknown>;
  before: Record<string, unknown>;
  after: Record<string, unknown>;
}

/**
 * Saves under optimistic locking and logs the change, in the caller's transaction. A stale version changes nothing
 * and tells what changed meanwhile. Gives the new version.
 */
export async function saveVersioned(
  tx: Queries,
  context: Context,
  table: VersionedTable,
  change: VersionedChange,
): Promise<Result<number>> {
  const next = change.version + 1;
  const result = await tx
    .update(table)
    .set({ ...change.set, version: next, updatedAt: context.now() } as never)
    .where(and(eq(table.id, change.id), eq(table.version, change.version)));
  if (affectedRows(result) !== 1) return staleResult(tx, table, change);
  await recordEvent(tx, context, {
    entity: change.entity,
    entityId: change.id,
    entityTag: change.tag,
    action: change.action,
    version: next,
    before: change.before,
    after: change.after,
  });
  return ok(next);
}

/** Locking reads: the transaction's own view may be older than the change that got in between. */
export async function staleResult(
  queries: Queries,
  table: NumberedTable,
  change: Pick<VersionedChange, "entity" | "id" | "version">,
): Promise<Result<number>> {
  const [row] = await queries
    .select({ version: table.version })
    .from(table)
    .where(eq(table.id, change.id))
    .for("update");
  if (!row) return fail({ code: "not-found", what: change.entity });
  return fail({
    code: "stale",
    changes: await changesSince(queries, change.entity, change.id, change.version),
    version: Number(row.version),
  });
}

type RetirableTable = VersionedTable & { tag: MySqlColumn; retiredAt: MySqlColumn };

/** Takes a thing out of service, or back. Nothing is deleted. */
export function retire(
  context: Context,
  table: RetirableTable,
  change: { entity: Entity; id: number; version: number; retired: boolean },
): Promise<Result<number>> {
  const { entity, id, version, retired } = change;
  return act(context, null, async ({ db: tx }): Promise<Result<number>> => {
    const [row] = await tx.select({ tag: table.tag, retiredAt: table.retiredAt }).from(table).where(eq(table.id, id));
    if (!row) return fail({ code: "not-found", what: entity });
    const before = row.retiredAt as Date | null;
    const retiredAt = retired ? context.now() : null;
    return saveVersioned(tx, context, table, {
      entity,
      id,
      version,
      tag: String(row.tag),
      action: retired ? "retired" : "brought back",
      set: { retiredAt },
      before: { retiredAt: before?.toISOString() ?? null },
      after: { retiredAt: retiredAt?.toISOString() ?? null },
    });
  });
}
