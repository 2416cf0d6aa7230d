import { randomBytes } from "node:crypto";
import { eq, sql } from "drizzle-orm";
import { testInventory } from "../../../test/support/database";
import { listAudit, recordAudit } from "../accounts/audit";
import { connect, type Database } from "./client";
import { grantRunningAccount } from "./running-account";
import { audits, people } from "./schema";

// The account that Creel runs by: MariaDB's own rights decide, whatever the application's code would do.
const inventory = testInventory();
const password = randomBytes(12).toString("hex");
const name = `creel_test_${randomBytes(4).toString("hex")}`;
let owner: Database;
let running: Database;

const account = sql.raw(`'${name}'@'127.0.0.1'`);

beforeAll(async () => {
  const { db } = inventory.ina;
  owner = connect(process.env.DATABASE_URL ?? "");
  await owner.execute(sql`CREATE USER ${account} IDENTIFIED BY ${sql.raw(`'${password}'`)}`);
  const url = new URL(inventory.url);
  url.username = name;
  url.password = password;
  await grantRunningAccount(db, url.toString());
  running = connect(url.toString());
});

afterAll(async () => {
  await running.$client.end();
  await owner.execute(sql`DROP USER ${account}`);
  await owner.$client.end();
});

const told = { page: 1, rows: 10 };

test("the running account adds to the audit and reads it", async () => {
  const ina = { ...inventory.ina, db: running };
  await recordAudit(ina, ina.person, { act: "retireComputer", outcome: "done", origin: "10.0.0.7" });
  const { rows } = await listAudit(ina, { text: "torvald", isRefused: false }, told);
  expect(rows).toMatchObject([{ act: "retireComputer", personName: "Ina Torvald", origin: "10.0.0.7" }]);
});

const denied = { cause: expect.objectContaining({ code: "ER_TABLEACCESS_DENIED_ERROR" }) };

test.each([
  ["changes", () => running.update(audits).set({ outcome: "refused" })],
  ["removes", () => running.delete(audits).where(eq(audits.outcome, "done"))],
  ["empties", () => running.execute(sql`TRUNCATE TABLE audits`)],
  ["drops", () => running.execute(sql`DROP TABLE audits`)],
  ["alters", () => running.execute(sql`ALTER TABLE audits DROP COLUMN origin`)],
  ["replaces", () => running.execute(sql`REPLACE INTO audits SELECT * FROM audits`)],
  ["takes away the migrations of", () => running.execute(sql`DELETE FROM __drizzle_migrations`)],
])("it never %s what is there", async (_, change) => {
  await expect(change()).rejects.toMatchObject(denied);
});

test("somebody who is forgotten is so in the audit too, whose rows stay as they are", async () => {
  const { db } = inventory.ina;
  const before = await db.select().from(audits);
  await running.update(people).set({ name: "Former member 1" }).where(eq(people.id, 1));
  const { rows } = await listAudit({ ...inventory.ina, db: running }, { text: "", isRefused: false }, told);
  expect(rows.map(({ personName }) => personName)).toEqual(["Former member 1"]);
  expect(await db.select().from(audits)).toEqual(before);
});
