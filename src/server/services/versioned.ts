import { and, eq } from "drizzle-orm";
import type { MySqlColumn, MySqlTable } from "drizzle-orm/mysql-core";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { fail, ok, type Result } from "../problems";
import { type Action, changesSince, type Entity, recordEvent } from "./events";

type VersionedTable = MySqlTable & { id: MySqlColumn; version: MySqlColumn; updatedAt: MySqlColumn };

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
  const [result] = await tx
    .update(table)
    .set({ ...change.set, version: next, updatedAt: context.now() } as never)
    .where(and(eq(table.id, change.id), eq(table.version, change.version)));
  if ((result as unknown as { affectedRows: number }).affectedRows !== 1) return staleResult(tx, table, change);
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
async function staleResult(
  queries: Queries,
  table: VersionedTable,
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

/** MySQL's and MariaDB's "duplicate entry" (ER_DUP_ENTRY, 1062), through whatever wraps it. */
export function isDuplicate(error: unknown): boolean {
  for (let each = error; each instanceof Error; each = each.cause) {
    if ("errno" in each && each.errno === 1062) return true;
  }
  return false;
}
