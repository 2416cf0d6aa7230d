import { getTableColumns, is, SQL, sql } from "drizzle-orm";
import type { MySqlColumn, MySqlTable } from "drizzle-orm/mysql-core";
import { getTableName } from "drizzle-orm/table";
import type { Queries } from "./client";

/**
 * Inserts many wide rows in one statement. The query builder makes an object of each value and the driver then looks for
 * its place, which for ten thousand computers takes longer than the database does; here the statement is written as a
 * text at once. All rows have the columns of the first; what is undefined is the column's default. `overwrite` names the
 * columns that a row which is there takes over.
 */
export async function insertRows<Table extends MySqlTable>(
  queries: Queries,
  table: Table,
  rows: Table["$inferInsert"][],
  overwrite: readonly (keyof Table["$inferInsert"] & string)[] = [],
): Promise<void> {
  const [first] = rows;
  if (!first) return;
  const all: Record<string, MySqlColumn> = getTableColumns(table);
  const columns = Object.keys(first).map((key) => [key, columnOf(all, key)] as const);
  const lines = rows.map((row: Record<string, unknown>) => {
    const values = columns.map(([key, column]) => literal(row[key], column));
    return `(${values.join(",")})`;
  });
  const names = columns.map(([, column]) => quotedName(column.name)).join(",");
  const update = overwrite
    .map((key) => quotedName(columnOf(all, key).name))
    .map((name) => `${name}=VALUES(${name})`)
    .join(",");
  // The connection hears of the table, and of what is told in it, as of any other insert.
  const into = queries.insert(table);
  Reflect.get(into, HEARD)?.(rows);
  await queries.execute(
    sql.raw(
      `INSERT INTO ${quotedName(getTableName(table))} (${names}) VALUES ${lines.join(",")}${update ? ` ON DUPLICATE KEY UPDATE ${update}` : ""}`,
    ),
  );
}

/** Where a watched insert (`revision.ts`) listens for rows that go past the query builder. */
export const HEARD: unique symbol = Symbol("heard");

function columnOf(all: Record<string, MySqlColumn>, key: string): MySqlColumn {
  const column = all[key];
  if (!column) throw new Error(`There is no column "${key}".`);
  return column;
}

const quotedName = (name: string) => `\`${name.replaceAll("`", "``")}\``;

/** A value as the server reads it in a statement ("String Literals", with backslashes as escapes). */
function literal(value: unknown, column: MySqlColumn): string {
  if (value === undefined) return "DEFAULT";
  if (value === null) return "NULL";
  if (is(value, SQL)) throw new Error(`Column ${column.name} takes no expression here.`);
  const driven: unknown = column.mapToDriverValue(value);
  if (typeof driven === "number" || typeof driven === "bigint") return String(driven);
  if (typeof driven === "boolean") return driven ? "1" : "0";
  if (driven instanceof Uint8Array) return `X'${Buffer.from(driven).toString("hex")}'`;
  if (typeof driven !== "string") throw new Error(`Column ${column.name} was given what cannot be written.`);
  return `'${driven.replace(/[\\'\0]/g, escaped)}'`;
}

const escaped = (character: string) => (character === "\0" ? "\\0" : `\\${character}`);
