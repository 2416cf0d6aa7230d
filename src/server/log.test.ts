import { sql } from "drizzle-orm";
import { testInventory } from "../../test/support/database";
import { insertRows } from "./db/insert-rows";
import { sites } from "./db/schema";
import { loggedError } from "./log";

const inventory = testInventory();
const SECRET = "BitLocker 123456-654321";

async function logged(run: () => Promise<unknown>): Promise<string> {
  const error = await run().then(
    () => null,
    (thrown: unknown) => thrown,
  );
  expect(error).toBeInstanceOf(Error);
  return JSON.stringify(loggedError(error));
}

test("what a statement carried does not reach the log when it fails; what failed, and by which error, does", async () => {
  const { db } = inventory.ina;
  await db.insert(sites).values({ name: SECRET });
  for (const run of [
    () => db.insert(sites).values({ name: SECRET }),
    () => insertRows(db, sites, [{ name: SECRET }]),
    () => db.execute(sql`SELECT ${SECRET} FROM nowhere`),
  ]) {
    const told = await logged(run);
    expect(told).not.toContain("123456");
    expect(told).toMatch(/insert into|INSERT INTO|SELECT/);
    expect(told).toMatch(/"errno":1(062|146)/);
  }
});

test("whatever was thrown is told in a few lines", () => {
  expect(loggedError("gone")).toEqual({ message: "gone" });
  const long = new Error("x".repeat(100_000), { cause: new Error("disk full") });
  expect(JSON.stringify(loggedError(long)).length).toBeLessThan(4000);
  expect(loggedError(long).cause).toMatchObject({ message: "disk full" });
});
