import { fileURLToPath } from "node:url";
import { migrate } from "drizzle-orm/mysql2/migrator";
import type { Database } from "./client";

/** Brings the database to the schema of this version; does nothing where it is already there. */
export async function migrateDatabase(
  db: Database,
  folder = fileURLToPath(new URL("./migrations", import.meta.url)),
): Promise<void> {
  await migrate(db, { migrationsFolder: folder });
}
