import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { sql } from "drizzle-orm";
import { allowSetUp } from "@/server/accounts/set-up";
import type { Context } from "@/server/context";
import { connect, type Database } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { people } from "@/server/db/schema";
import { exportComputers } from "@/server/exchange/exports";
import { runImport, stageImport } from "@/server/exchange/imports";
import { WHOLE_IMPORT } from "@/server/exchange/options";
import { serve } from "../../scripts/lib/build.mjs";
import { freePort } from "../../scripts/lib/database.mjs";
import { openForm, signedInAs } from "./helpers";

// What the demo's inventory writes out goes into an empty one, and comes out of that one the same.

const base = process.env.DATABASE_URL ?? "";
const folder = mkdtempSync(join(tmpdir(), "creel-round-"));
const databases: { db: Database; name: string }[] = [];
test.afterAll(async () => {
  for (const { db, name } of databases) {
    await db.execute(sql.raw(`DROP DATABASE ${name}`));
    await db.$client.end();
  }
  rmSync(folder, { recursive: true, force: true });
});

/** An inventory with one person in it, and nothing else. */
async function emptyInventory(name: string): Promise<{ ina: Context; url: string }> {
  const admin = connect(base);
  await admin.execute(sql.raw(`DROP DATABASE IF EXISTS ${name}`));
  await admin.execute(sql.raw(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`));
  await admin.$client.end();
  const url = new URL(base);
  url.pathname = `/${name}`;
  const db = connect(url.toString());
  databases.push({ db, name });
  await migrateDatabase(db);
  await db.insert(people).values({ name: "Ina Torvald" });
  return { ina: { db, person: { id: 1, name: "Ina Torvald" }, now: () => new Date() }, url: url.toString() };
}

test("an inventory that nobody has an account in asks for the first one, and goes on from there", async ({
  browser,
}) => {
  const { ina, url } = await emptyInventory("creel_round_nobody");
  await ina.db.delete(people);
  await allowSetUp(ina.db, "a-code-for-setting-up", new Date());
  const port = await freePort();
  const server = await serve(port, url, join(folder, "web.log"), join(folder, "data"));
  try {
    const address = `http://127.0.0.1:${port}`;
    const page = await (await signedInAs(browser, address, null)).newPage();
    for (const path of ["/", "/computers", "/media", "/chains", "/upkeep", "/bench"]) {
      await page.goto(`${address}${path}`);
      await expect(page.getByRole("heading", { level: 1 })).toHaveText("Not set up yet");
    }
    await page.goto(`${address}/set-up?code=another`);
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("This link cannot be used");
    await openForm(page, `${address}/set-up?code=a-code-for-setting-up`);
    await page.getByLabel("Name of the organisation").fill("Skerry Line");
    await page.getByLabel(/^First site/).fill("Workshop");
    await page.getByLabel("Your name").fill("Ina Torvald");
    await page.getByLabel("Mail address").fill("Ina@Skerry.example");
    await page.getByLabel(/^Password, at least/).fill("too short");
    await page.getByLabel("The same password again").fill("too short");
    await page.getByRole("button", { name: "Set up" }).click();
    await expect(page.getByText("A password has at least 12 characters.")).toBeVisible();
    await page.getByLabel(/^Password, at least/).fill("the gulls of Sandsay");
    await page.getByLabel("The same password again").fill("the gulls of Sandsay");
    await page.getByRole("button", { name: "Set up" }).click();
    await expect(page.getByRole("link", { name: "Your account, Ina Torvald" })).toBeVisible();
    await page.goto(`${address}/set-up?code=a-code-for-setting-up`);
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("This link cannot be used");
    for (const path of ["/", "/computers", "/media", "/chains", "/upkeep", "/cover", "/images", "/kits", "/callouts"])
      expect((await page.goto(`${address}${path}`))?.status()).toBe(200);
    // What to do first stands on Today until it was done, and nothing is told that is not so.
    await page.goto(`${address}/`);
    const steps = page.getByRole("list", { name: "First steps" }).getByRole("listitem");
    await expect(steps).toHaveCount(4);
    await expect(steps.first()).toContainText("Done");
    await expect(steps.nth(1)).toContainText("Import the facts of a computer");
    await page.goto(`${address}/bench/make`);
    await expect(page.getByText("No computer recorded yet.")).toBeVisible();
  } finally {
    server.kill("SIGTERM");
  }
});

for (const form of ["jsonl", "csv"] as const)
  test(`all computers as ${form === "csv" ? "a table" : "lines"}`, async ({ request }) => {
    const written = await (await request.get(`/computers/export?form=${form}`)).text();
    expect(written.split("\n").length).toBeGreaterThan(30);
    const { ina } = await emptyInventory(`creel_round_${form}`);
    const staged = await stageImport(ina, `fleet.${form}`, new TextEncoder().encode(written));
    expect(staged).toMatchObject({ ok: true });
    const done = staged.ok ? await runImport(ina, staged.value, { ...WHOLE_IMPORT, addSites: true }) : null;
    expect(done).toMatchObject({ ok: true, value: { faultsTotal: 0 } });
    let again = "";
    for await (const part of exportComputers(ina, form, "all")) again += part;
    expect(again).toBe(written);
  });

test("the whole inventory as one document", async () => {
  test.slow();
  const { url } = await emptyInventory("creel_round_world");
  const creel = (args: string[], of: string) => {
    const env = { ...process.env, DATABASE_URL: of };
    const { status, stderr } = spawnSync(process.execPath, ["scripts/creel.mjs", ...args], { env, encoding: "utf8" });
    expect([status, stderr]).toEqual([0, ""]);
  };
  const [first, second] = [join(folder, "first.json"), join(folder, "second.json")];
  creel(["export", "--out", first], base);
  creel(["import", first], url);
  creel(["export", "--out", second], url);
  expect(JSON.parse(readFileSync(second, "utf8"))).toEqual(JSON.parse(readFileSync(first, "utf8")));
});

test("the whole inventory as a backup, of a demo in use, by its command line", async () => {
  test.slow();
  const target = new URL(base);
  target.pathname = "/creel_round_backup";
  const admin = connect(base);
  await admin.execute(sql.raw("CREATE DATABASE creel_round_backup CHARACTER SET utf8mb4"));
  await admin.$client.end();
  databases.push({ db: connect(target.toString()), name: "creel_round_backup" });
  const [secret, backup] = [join(folder, "passphrase"), join(folder, "creel.backup")];
  writeFileSync(secret, "the gulls of Sandsay\n");
  const creel = (args: string[], of: string, data = process.env.CREEL_DATA) => {
    const env = { ...process.env, DATABASE_URL: of, CREEL_DATA: data };
    return spawnSync(process.execPath, ["scripts/creel.mjs", ...args], { env, encoding: "utf8" });
  };
  const data = join(folder, "restored");
  const made = creel(["backup", backup, "--library", "--passphrase-file", secret], base);
  expect([made.status, made.stderr]).toEqual([0, ""]);
  expect(creel(["restore", backup], target.toString(), data).stderr).toContain("encrypted. Name a file");
  const restored = creel(["restore", backup, "--passphrase-file", secret], target.toString(), data);
  expect([restored.status, restored.stderr]).toEqual([0, ""]);
  expect(restored.stdout).toMatch(/^Restored as of \d{4}-\d{2}-\d{2} \d{2}:\d{2} UTC\.\n$/);
  const [first, second] = [base, target.toString()].map((of) => creel(["export"], of).stdout);
  expect(first?.length).toBeGreaterThan(100_000);
  expect(second).toBe(first);
  const again = creel(["restore", backup, "--passphrase-file", secret], target.toString(), data);
  expect([again.status, again.stderr]).toEqual([2, expect.stringContaining("something is recorded in this inventory")]);
});
