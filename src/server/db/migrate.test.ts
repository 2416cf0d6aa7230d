import { join } from "node:path";
import { sql } from "drizzle-orm";
import { MemorySource } from "@/core/kernel/source";
import { inspect } from "@/core/medium/inspection/inspect";
import { findingText } from "@/core/words/findings";
import { testInventory } from "../../../test/support/database";
import { readInspection } from "../inspections/inspections";
import { getComputer } from "../inventory/computers";
import { refreshDerived } from "../inventory/derived";
import { openSnoozes } from "../upkeep/snoozes";
import { connect } from "./client";
import { migrateDatabase } from "./migrate";
import { coverPlans, inspections, people } from "./schema";

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

test("processes that start together do it one after the other, and what earlier work left open is told", async () => {
  const { db } = inventory.ina;
  await db.execute(sql`DELETE FROM __drizzle_migrations`);
  await db.execute(sql`DROP TABLE job_lines`);
  await db.execute(sql`DROP TABLE jobs`);
  await db.execute(
    sql`INSERT INTO cover_plans (name, state, settings, person_id) VALUES ('Left in the middle', 'running', '{}', 1)`,
  );
  const others = [1, 2].map(() => connect(inventory.url));
  await Promise.all([db, ...others].map((each) => migrateDatabase(each, folder)));
  await Promise.all(others.map((each) => each.$client.end()));
  const [counts] = (await db.execute(
    sql`SELECT COUNT(*) AS done, COUNT(DISTINCT hash) AS different FROM __drizzle_migrations`,
  )) as unknown as [{ done: number; different: number }[]];
  expect(Number(counts[0]?.done)).toBeGreaterThan(20);
  expect(Number(counts[0]?.done)).toBe(Number(counts[0]?.different));
  const [plan] = await db.select({ state: coverPlans.state, told: coverPlans.told }).from(coverPlans);
  expect(plan).toEqual({ state: "interrupted", told: { code: "interrupted" } });
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

test("what an earlier version kept as sentences, by names and as text is read on", async () => {
  const { db } = inventory.ina;
  const { inspection } = await inspect(new MemorySource(new Uint8Array(100)), { name: "old.img" });
  const { views, ...body } = inspection;
  const finding = { code: "odd-size", severity: "fault", text: "The file ends in the middle." };
  const old = JSON.stringify({ ...body, views, startPaths: [], findings: [finding] });
  // As the version before left it.
  await db.execute(sql`ALTER TABLE snoozes ADD COLUMN person_name varchar(120), MODIFY COLUMN person_id int NULL`);
  await db.execute(sql`ALTER TABLE snoozes MODIFY COLUMN until_day varchar(10)`);
  await db.execute(
    sql`INSERT INTO snoozes (due_key, until_day, why, person_name) VALUES ('drill 1', '2026-05-01', 'Away.', 'Old Hand')`,
  );
  await db.execute(sql`ALTER TABLE inspections DROP FOREIGN KEY inspections_views_key_inspection_views_views_key_fk`);
  await db.execute(sql`ALTER TABLE inspections MODIFY COLUMN fault varchar(500)`);
  await db.execute(
    sql`INSERT INTO inspections (id, file_name, bytes, views_key, fault, body) VALUES (77, 'old.img', 100, REPEAT('a', 64), ${finding.text}, ${old})`,
  );
  await db.execute(sql`DELETE FROM __drizzle_migrations`);
  await migrateDatabase(db, folder);
  const [snooze] = await openSnoozes(inventory.ina, "2026-03-01");
  expect(snooze).toMatchObject({ dueKey: "drill 1", until: "2026-05-01", personName: "Old Hand" });
  const [row] = await db.select().from(inspections);
  expect(row?.fault).toEqual({ code: "told-in-words", was: "", severity: "fault", text: finding.text });
  const read = await readInspection(db, 77);
  expect(read?.inspection.views).toEqual(views);
  expect(read?.inspection.findings.map(findingText)).toEqual([finding.text]);
});
