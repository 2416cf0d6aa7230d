import { randomBytes } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { sql } from "drizzle-orm";
import { createConnection } from "mysql2/promise";
import { allowSetUp, isNew, setUp } from "@/server/accounts/set-up";
import { ownContext } from "@/server/context";
import { connect, type Database } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { computers, people, sites } from "@/server/db/schema";
import { overview } from "@/server/fleet/overview";
import { getComputer } from "@/server/inventory/computers";
import { testInventory, value } from "../support/database";

// A database of an earlier Creel, with the demo of that time (mariadb-dump), is brought to this one's schema.
const DUMP = join(__dirname, "..", "fixtures", "inventory-of-migration-33.sql.gz");
const MIGRATIONS = join(__dirname, "..", "..", "src", "server", "db", "migrations");
const inventory = testInventory();
const name = `creel_test_${randomBytes(6).toString("hex")}`;
let db: Database;
let before: { counts: Record<string, number>; facts: unknown; events: unknown };

async function rowsOf<T>(on: Database, query: string): Promise<T[]> {
  const [rows] = (await on.execute(sql.raw(query))) as unknown as [T[]];
  return rows;
}

const tablesOf = async (on: Database) => (await rowsOf<object>(on, "SHOW TABLES")).flatMap((row) => Object.values(row));

async function held() {
  const counts: Record<string, number> = {};
  for (const table of await tablesOf(db))
    counts[table] = Number((await rowsOf<{ n: number }>(db, `SELECT COUNT(*) AS n FROM \`${table}\``))[0]?.n);
  const facts = await rowsOf(db, "SELECT computer_id, facts, provenance FROM computer_facts ORDER BY computer_id");
  const events = await rowsOf(
    db,
    "SELECT id, at, person_name, entity_tag, action, `before`, `after` FROM events ORDER BY id",
  );
  return { counts, facts, events };
}

beforeAll(async () => {
  const base = process.env.DATABASE_URL ?? "";
  const admin = connect(base);
  await admin.execute(sql.raw(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`));
  await admin.$client.end();
  const url = new URL(base);
  url.pathname = `/${name}`;
  const connection = await createConnection({ uri: url.toString(), multipleStatements: true });
  await connection.query(gunzipSync(readFileSync(DUMP)).toString("utf8"));
  await connection.end();
  db = connect(url.toString());
  before = await held();
});
afterAll(async () => {
  await db?.execute(sql.raw(`DROP DATABASE ${name}`));
  await db?.$client.end();
});

test("nothing that was recorded is lost or changed", async () => {
  expect(before.counts.computers).toBeGreaterThan(25);
  expect(before.counts.events).toBeGreaterThan(100);
  await migrateDatabase(db, MIGRATIONS);
  const after = await held();
  const { __drizzle_migrations: _, ...counts } = before.counts;
  expect(after.counts).toMatchObject(counts);
  expect([after.facts, after.events]).toEqual([before.facts, before.events]);
  // A second time there is nothing to do.
  await migrateDatabase(db, MIGRATIONS);
  expect((await held()).counts).toEqual(after.counts);
});

test("its tables are those of a new database, column by column and index by index", async () => {
  const fresh = inventory.ina.db;
  expect(await tablesOf(db)).toEqual(expect.arrayContaining(await tablesOf(fresh)));
  const made = async (on: Database, table: string) => {
    const [row] = await rowsOf<{ "Create Table": string }>(on, `SHOW CREATE TABLE \`${table}\``);
    // What a column stands behind, and how far its numbers went, makes no difference.
    const text = (row?.["Create Table"] ?? "").replace(/ AUTO_INCREMENT=\d+/, "");
    return text
      .split("\n")
      .map((line) => line.replace(/,$/, ""))
      .sort();
  };
  for (const table of await tablesOf(fresh))
    expect([table, await made(db, table)]).toEqual([table, await made(fresh, table)]);
});

test("it works: the fleet is judged, and the first administrator is somebody who is recorded already", async () => {
  const now = () => new Date("2026-12-01T09:00:00Z");
  const context = ownContext(db, now);
  const seen = await overview(context);
  expect(JSON.stringify(seen)).toContain("holds");
  const [first] = await db.select({ tag: computers.tag }).from(computers).limit(1);
  expect((await getComputer(context, first?.tag ?? ""))?.facts.firmware.kind).toBeTruthy();
  expect(await isNew(db)).toBe(true);
  const known = { people: await db.$count(people), sites: await db.$count(sites) };
  await allowSetUp(db, "code", now());
  const told = {
    ...{ code: "code", organisation: "Skerry Line", timeZone: "UTC", currency: "EUR", site: "Workshop" },
    ...{ name: "Runa Esk", mail: "runa@skerry.example", password: "the gulls of Sandsay" },
  };
  value(await setUp(db, now, told));
  expect([await isNew(db), await db.$count(people), await db.$count(sites)]).toEqual([
    false,
    known.people,
    known.sites,
  ]);
});
