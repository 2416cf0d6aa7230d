import { type SQL, sql } from "drizzle-orm";
import type { AnyMySqlColumn } from "drizzle-orm/mysql-core";
import { itemAt } from "@/core/kernel/item-at";

/** The id of the one row that was inserted. */
export function insertedId<Id extends number>(rows: readonly { id: Id }[]): Id {
  return itemAt(rows, 0).id;
}

/** How many rows a change touched; what does not say is none. */
export function affectedRows(result: readonly unknown[]): number {
  return told(result, "affectedRows");
}

/** What `LAST_INSERT_ID(…)` was set to by a change; 0 where it was not. */
export function lastInsertId(result: readonly unknown[]): number {
  return told(result, "insertId");
}

function told([header]: readonly unknown[], field: "affectedRows" | "insertId"): number {
  const value: unknown = typeof header === "object" && header !== null ? Reflect.get(header, field) : 0;
  return typeof value === "number" ? value : 0;
}

/** The name of the person that a column tells by id, for lists of what is selected. */
export function nameOf(personId: AnyMySqlColumn): SQL<string> {
  return sql<string>`(SELECT people.name FROM people WHERE people.id = ${personId})`;
}
