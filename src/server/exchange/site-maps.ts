import type { Queries } from "../db/client";
import { sites } from "../db/schema";
import { keyOf } from "./importer";

/** Names of places by id, and ids by name as the database compares them. */
export async function siteMaps(queries: Queries) {
  const rows = await queries.select({ id: sites.id, name: sites.name }).from(sites);
  return {
    names: new Map(rows.map((row) => [row.id, row.name])),
    ids: new Map(rows.map((row) => [keyOf(row.name), row.id])),
  };
}
