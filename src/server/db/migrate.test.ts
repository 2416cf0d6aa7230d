import { join } from "node:path";
import { sql } from "drizzle-orm";
import { testInventory } from "../../../test/support/database";
import { migrateDatabase } from "./migrate";
import { people } from "./schema";

const inventory = testInventory();
const folder = join(__dirname, "migrations");

test("a start that was killed between two statements can go on, and keeps what is there", async () => {
  const { db } = inventory.ina;
  await db.execute(sql`DELETE FROM __drizzle_migrations`);
  await db.execute(sql`ALTER TABLE loads DROP FOREIGN KEY loads_medium_id_media_id_fk`);
  await db.execute(sql`DROP TABLE events`);
  await migrateDatabase(db, folder);
  await migrateDatabase(db, folder);
  expect(await db.$count(people)).toBe(2);
  const [keys] = (await db.execute(
    sql`SELECT COUNT(*) AS count FROM information_schema.referential_constraints WHERE constraint_schema = DATABASE() AND table_name = 'loads'`,
  )) as unknown as [{ count: number }[]];
  expect(Number(keys[0]?.count)).toBe(2);
});
