import { connect, type Database } from "../../src/server/db/client";
import { migrateDatabase } from "../../src/server/db/migrate";
import { grantRunningAccount } from "../../src/server/db/running-account";

/**
 * The database that DATABASE_URL names, at the schema of this version. Where another account owns it (DATABASE_OWNER_URL),
 * it is used by that one, and the one that the server runs by is given its rights. Throws what the database says.
 */
export async function preparedDatabase(): Promise<Database> {
  const running = process.env.DATABASE_URL ?? "";
  const owner = process.env.DATABASE_OWNER_URL || running;
  const db = connect(owner);
  try {
    await migrateDatabase(db);
    if (owner !== running) await grantRunningAccount(db, running);
    return db;
  } catch (error) {
    await db.$client.end();
    throw error;
  }
}
