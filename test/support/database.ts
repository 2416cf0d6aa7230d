import { randomBytes } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { sql } from "drizzle-orm";
import { createConnection } from "mysql2/promise";
import { problemText } from "@/core/words/problems";
import type { Context } from "@/server/context";
import { connect, type Database } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { people } from "@/server/db/schema";
import type { Result } from "@/server/problems";

const MIGRATIONS = join(__dirname, "..", "..", "src", "server", "db", "migrations");

/** The tables by the dump that `npm test` makes once; by the migrations where a file of tests runs by itself. */
async function makeTables(db: Database, url: string): Promise<void> {
  const dump = process.env.CREEL_TEST_SCHEMA;
  if (!dump) return migrateDatabase(db, MIGRATIONS);
  const connection = await createConnection({ uri: url, multipleStatements: true });
  await connection.query(readFileSync(dump, "utf8"));
  await connection.end();
}

export interface TestInventory {
  /** The context of each of two people, with a clock that the test moves. */
  ina: Context;
  col: Context;
  clock: { now: Date };
  /** Of the database, for other processes. */
  url: string;
}

/** An empty inventory in a database of its own, for one test file; dropped afterwards. */
export function testInventory(): TestInventory {
  const base = process.env.DATABASE_URL;
  if (!base) throw new Error("DATABASE_URL is not set: npm test starts a database and sets it.");
  const name = `creel_test_${randomBytes(6).toString("hex")}`;
  const inventory = { clock: { now: new Date("2026-03-01T08:00:00Z") } } as TestInventory;
  let db: Database;
  beforeAll(async () => {
    const admin = connect(base);
    await admin.execute(sql.raw(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`));
    await admin.$client.end();
    const url = new URL(base);
    url.pathname = `/${name}`;
    inventory.url = url.toString();
    db = connect(inventory.url);
    await makeTables(db, inventory.url);
    await db.insert(people).values([{ name: "Ina Torvald" }, { name: "Col Marrick" }]);
    const now = () => inventory.clock.now;
    inventory.ina = { db, person: { id: 1, name: "Ina Torvald" }, now };
    inventory.col = { db, person: { id: 2, name: "Col Marrick" }, now };
  });
  afterAll(async () => {
    await db?.execute(sql.raw(`DROP DATABASE ${name}`));
    await db?.$client.end();
  });
  return inventory;
}

/** What came of it; a problem fails the test with its sentence. */
export function value<T>(result: Result<T>): T {
  if (!result.ok) throw new Error(problemText(result.problem));
  return result.value;
}
