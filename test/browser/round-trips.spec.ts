import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { sql } from "drizzle-orm";
import type { Context } from "@/server/context";
import { connect, type Database } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { people } from "@/server/db/schema";
import { exportComputers } from "@/server/exchange/exports";
import { runImport, stageImport } from "@/server/exchange/imports";
import { WHOLE_IMPORT } from "@/server/exchange/options";
import { serve } from "../../scripts/lib/build.mjs";
import { freePort } from "../../scripts/lib/database.mjs";

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

test("an inventory that nobody is recorded in asks for the first one, and goes on from there", async ({ page }) => {
  const { ina, url } = await emptyInventory("creel_round_nobody");
  await ina.db.delete(people);
  const port = await freePort();
  const server = await serve(port, url, join(folder, "web.log"), join(folder, "data"));
  try {
    const address = `http://127.0.0.1:${port}`;
    for (const path of ["/", "/computers", "/media", "/chains", "/upkeep", "/bench"]) {
      expect((await page.goto(`${address}${path}`))?.status()).toBe(200);
      await expect(page.getByRole("heading", { name: "First person" })).toBeVisible();
    }
    await page.locator("form[aria-busy=false]").last().waitFor();
    await page.locator("main").getByLabel("Name").fill("Ina Torvald");
    await page.getByRole("button", { name: "Add person" }).click();
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("Bench");
    await expect(page.getByLabel("Acting")).toContainText("Ina Torvald");
    for (const path of ["/", "/computers", "/media", "/chains", "/upkeep", "/cover", "/images", "/kits", "/callouts"])
      expect((await page.goto(`${address}${path}`))?.status()).toBe(200);
    // What to do first stands on Today until it was done, and nothing is told that is not so.
    await page.goto(`${address}/`);
    const steps = page.getByRole("list", { name: "First steps" }).getByRole("listitem");
    await expect(steps).toHaveCount(4);
    await expect(steps.first()).toContainText("Add the first site");
    await steps.first().getByRole("link", { name: "Add a site" }).click();
    await page.locator("form[aria-busy=false]").last().waitFor();
    await page.locator("main").getByLabel("Name").fill("Head office");
    await page.getByRole("button", { name: "Add site" }).click();
    await expect(page.getByRole("link", { name: "Head office" })).toBeVisible();
    await page.goto(`${address}/`);
    await expect(steps.first()).toContainText("Done");
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
