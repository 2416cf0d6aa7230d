import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { sql } from "drizzle-orm";
import { connect } from "@/server/db/client";
import { freePort } from "../../scripts/lib/database.mjs";
import { listening, openForm } from "./helpers";

// Creel with nothing in it, as a team starts it: on a database that is there and empty.

const base = process.env.DATABASE_URL ?? "";
const NAME = "creel_start";
const [MAIL, PASSWORD] = ["ina@skerry.example", "the gulls of Sandsay"];
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

test.use({ storageState: { cookies: [], origins: [] } });

test("npm start brings up an empty Creel, keeps what is added, and ends when it is asked to", async ({ page }) => {
  const port = String(await freePort());
  const address = `http://127.0.0.1:${port}`;
  const first = started({ PORT: port });
  await expect.poll(first.told, { timeout: 90_000 }).toContain(`Creel is ready: ${address}`);
  const link = /http:\S+\/set-up\?code=\S+/.exec(first.told())?.[0] ?? "";
  await openForm(page, link);
  await page.getByLabel("Name of the organisation").fill("Skerry Line");
  await page.getByLabel(/^First site/).fill("Workshop");
  await page.getByLabel("Your name").fill("Ina Torvald");
  await page.getByLabel("Mail address").fill(MAIL);
  await page.getByLabel(/^Password, at least/).fill(PASSWORD);
  await page.getByLabel("The same password again").fill(PASSWORD);
  await page.getByRole("button", { name: "Set up" }).click();
  const steps = page.getByRole("list", { name: "First steps" }).getByRole("listitem");
  await expect(steps).toHaveCount(4);
  first.child.kill("SIGTERM");
  expect(await first.ended).toBe(0);

  const again = started({ PORT: port });
  await expect.poll(again.told, { timeout: 90_000 }).toContain("Creel is ready");
  // Whoever was signed in still is; nobody can set it up again.
  await page.goto(address);
  await expect(page.getByRole("link", { name: "Your account, Ina Torvald" })).toBeVisible();
  expect(again.told()).not.toContain("set-up");
  await page.goto(link);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("This link cannot be used");

  await page.goto(`${address}/account`);
  await listening(page);
  await page.getByRole("button", { name: "Sign out" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Sign in");
  await openForm(page, `${address}/media`);
  await page.getByLabel("Mail address").fill(MAIL);
  await page.getByLabel("Password").fill("the gulls of Harrick");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByText("Wrong mail address or password.")).toBeVisible();
  await page.getByLabel("Password").fill(PASSWORD);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Media");
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

test("neither the demo's sign-in nor an address that nobody types is let into it", async () => {
  const port = String(await freePort());
  const demo = started({ PORT: port, CREEL_DEMO: "1" });
  expect(await demo.ended).toBe(1);
  expect(demo.told()).toContain("creel: CREEL_DEMO is the demo's alone.");
  const open = started({ PORT: port, HOST: "0.0.0.0" });
  expect(await open.ended).toBe(1);
  expect(open.told()).toContain("creel: HOST is 0.0.0.0, every address of this machine. Set CREEL_URL");
});
