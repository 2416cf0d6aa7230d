import { fileURLToPath } from "node:url";
import { migrate } from "drizzle-orm/mysql2/migrator";
import type { RowDataPacket } from "mysql2";
import type { Database } from "./client";

/** A long migration of a large inventory takes minutes; whoever waits longer has a fault to be told of. */
const WAIT_SECONDS = 900;

/**
 * Brings the database to the schema of this version; does nothing where it is already there. One process at a time:
 * others wait for it, and find it done. Throws where one takes longer than a quarter of an hour.
 */
export async function migrateDatabase(
  db: Database,
  folder = fileURLToPath(new URL("./migrations", import.meta.url)),
): Promise<void> {
  const connection = await db.$client.getConnection();
  try {
    const [rows] = await connection.query<RowDataPacket[]>(
      "SELECT GET_LOCK(CONCAT('creel migrations ', DATABASE()), ?) AS isOurs",
      [WAIT_SECONDS],
    );
    if (rows[0]?.isOurs !== 1)
      throw new Error("Another process has been bringing the database up to date for too long.");
    await migrate(db, { migrationsFolder: folder });
  } finally {
    await connection.query("SELECT RELEASE_LOCK(CONCAT('creel migrations ', DATABASE()))").catch(() => {});
    connection.release();
  }
}
