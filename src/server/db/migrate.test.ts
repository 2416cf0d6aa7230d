import { join } from "node:path";
import { sql } from "drizzle-orm";
import { testInventory } from "../../../test/support/database";
import { getComputer } from "../inventory/computers";
import { refreshDerived } from "../inventory/derived";
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

test("facts recorded by the first version move to their own table, disks and all", async () => {
  const { db } = inventory.ina;
  // As the first version left it: facts in the row, disks beside it.
  await db.execute(sql`ALTER TABLE computers ADD COLUMN facts json NULL`);
  await db.execute(sql`ALTER TABLE disks ADD COLUMN facts json NULL`);
  await db.execute(
    sql`INSERT INTO computers (id, tag, start_profile, facts) VALUES (7, 'OLD-1', 'x', '{"schema":"creel.facts/1","computer":{"tag":"OLD-1","make":"Corvane"}}'), (8, 'OLD-2', 'x', '{"schema":"creel.facts/1"}')`,
  );
  await db.execute(
    sql`INSERT INTO disks (computer_id, position, name, bytes, facts) VALUES (7, 1, 'sdb', 2, '{"name":"sdb","bytes":2,"partitions":[]}'), (7, 0, 'sda', 1, '{"name":"sda","bytes":1,"partitions":[]}')`,
  );
  await db.execute(sql`DELETE FROM __drizzle_migrations`);
  await migrateDatabase(db, folder);
  expect(await refreshDerived(db)).toBe(2);
  const [one, other] = await Promise.all([getComputer(inventory.ina, "OLD-1"), getComputer(inventory.ina, "OLD-2")]);
  expect(one?.facts).toMatchObject({ computer: { make: "Corvane" }, disks: [{ name: "sda" }, { name: "sdb" }] });
  expect(one?.row.make).toBe("Corvane");
  expect(other?.facts.disks).toBeNull();
});
