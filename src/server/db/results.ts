import { type SQL, sql } from "drizzle-orm";
import type { AnyMySqlColumn } from "drizzle-orm/mysql-core";
import { itemAt } from "@/core/kernel/item-at";

/** The id of the one row that was inserted. */
export function insertedId(rows: readonly { id: number }[]): number {
  return itemAt(rows, 0).id;
}

/** How many rows a change touched; what does not say is none. */
export function affectedRows([result]: readonly unknown[]): number {
  const count = typeof result === "object" && result !== null && "affectedRows" in result ? result.affectedRows : 0;
  return typeof count === "number" ? count : 0;
}

/** The name of the person that a column tells by id, for lists of what is selected. */
export function nameOf(personId: AnyMySqlColumn): SQL<string> {
  return sql<string>`(SELECT people.name FROM people WHERE people.id = ${personId})`;
}
