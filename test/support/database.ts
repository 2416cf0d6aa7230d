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

const WRITES = /^\s*(insert|update|delete|commit)\b/i;

class Broken extends Error {}

/** What all tables hold, by a check sum of each. */
export async function checksums(db: Database, but: readonly string[]): Promise<Record<string, unknown>> {
  const [tables] = (await db.execute(sql`SHOW TABLES`)) as unknown as [Record<string, string>[]];
  const names = tables.flatMap((row) => Object.values(row)).filter((name) => !but.includes(name));
  const [rows] = (await db.execute(sql.raw(`CHECKSUM TABLE ${names.join(", ")}`))) as unknown as [
    { Table: string; Checksum: unknown }[],
  ];
  return Object.fromEntries(rows.map(({ Table, Checksum }) => [Table.split(".").at(-1), Checksum]));
}

/**
 * Does an act again and again, and each time the connection breaks at a later statement that writes (the commit too),
 * until it comes through: before that nothing of it may be in the database. Gives what came of it at last, and how many
 * statements wrote. `but` are tables in which long work says how it ended; `isThrough`: it came through, and the
 * connection broke after that.
 */
export async function wholeOrNothing<T>(
  inventory: TestInventory,
  run: (context: Context) => Promise<T>,
  but: readonly string[] = [],
  isThrough: (result: T) => boolean = () => false,
): Promise<{ result: T; statements: number }> {
  let left = 0;
  const db = connect(inventory.url, {
    logQuery: (query) => {
      if (WRITES.test(query) && --left === 0) throw new Broken(query);
    },
  });
  try {
    for (let nth = 1; ; nth++) {
      const before = await checksums(inventory.ina.db, but);
      left = nth;
      const result = await run({ ...inventory.ina, db }).catch((error: unknown) => error);
      if (left > 0 || (!(result instanceof Error) && isThrough(result as T))) {
        if (result instanceof Error) throw result;
        return { result: result as T, statements: nth - 1 };
      }
      expect([nth, await checksums(inventory.ina.db, but)]).toEqual([nth, before]);
    }
  } finally {
    await db.$client.end();
  }
}

/** What came of it; a problem fails the test with its sentence. */
export function value<T>(result: Result<T>): T {
  if (!result.ok) throw new Error(problemText(result.problem));
  return result.value;
}
