import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { sql } from "drizzle-orm";
import { connect } from "@/server/db/client";
import { freePort } from "../../scripts/lib/database.mjs";

// Creel with nothing in it, as a team starts it: on a database that is there and empty.

const base = process.env.DATABASE_URL ?? "";
const NAME = "creel_start";
const folder = mkdtempSync(join(tmpdir(), "creel-start-"));
const admin = connect(base);
const url = new URL(base);
url.pathname = `/${NAME}`;

test.beforeAll(async () => {
  await admin.execute(sql.raw(`DROP DATABASE IF EXISTS ${NAME}`));
  await admin.execute(sql.raw(`CREATE DATABASE ${NAME} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`));
});
test.afterAll(async () => {
  await admin.execute(sql.raw(`DROP DATABASE IF EXISTS ${NAME}`));
  await admin.$client.end();
  rmSync(folder, { recursive: true, force: true });
});

function started(env: Record<string, string>): {
  child: ChildProcess;
  told: () => string;
  ended: Promise<number | null>;
} {
  let text = "";
  const child = spawn(process.execPath, ["scripts/start.mjs"], {
    env: { ...process.env, DATABASE_URL: url.toString(), CREEL_DATA: join(folder, "data"), ...env },
    stdio: ["ignore", "pipe", "pipe"],
  });
  for (const stream of [child.stdout, child.stderr])
    stream.on("data", (data) => {
      text += data;
    });
  return { child, told: () => text, ended: new Promise((resolve) => child.once("exit", resolve)) };
}

test("npm start brings up an empty Creel, keeps what is added, and ends when it is asked to", async ({ page }) => {
  const port = String(await freePort());
  const address = `http://127.0.0.1:${port}`;
  const first = started({ PORT: port });
  await expect.poll(first.told, { timeout: 90_000 }).toContain(`Creel is ready: ${address}`);
  await page.goto(address);
  await expect(page.getByRole("heading", { name: "First person" })).toBeVisible();
  await page.locator("form[aria-busy=false]").last().waitFor();
  await page.locator("main").getByLabel("Name").fill("Ina Torvald");
  await page.getByRole("button", { name: "Add person" }).click();
  await expect(page.getByRole("list", { name: "First steps" }).getByRole("listitem")).toHaveCount(4);
  first.child.kill("SIGTERM");
  expect(await first.ended).toBe(0);

  const again = started({ PORT: port });
  await expect.poll(again.told, { timeout: 90_000 }).toContain("Creel is ready");
  await page.goto(address);
  await expect(page.getByLabel("Acting")).toContainText("Ina Torvald");
  again.child.kill("SIGTERM");
  expect(await again.ended).toBe(0);
});

test("what it is started with wrongly is a sentence, and nothing is left running", async () => {
  const port = String(await freePort());
  const wrong = started({ PORT: port, CREEL_SMTP: "mail.example" });
  expect(await wrong.ended).toBe(1);
  expect(wrong.told()).toContain("creel: CREEL_SMTP is not a mail server address.");
  expect(wrong.told()).toContain("creel: Creel was not started, for the reason above.");
  const absent = new URL(url);
  absent.pathname = "/creel_no_such_database";
  const unknown = started({ PORT: port, DATABASE_URL: absent.toString() });
  expect(await unknown.ended).toBe(1);
  expect(unknown.told()).toMatch(/creel: The database could not be used: /);
  expect(unknown.told()).not.toMatch(/at .*\.m?js:\d+/);
});
