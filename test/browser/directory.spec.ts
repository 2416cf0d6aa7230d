import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type Browser, expect, type Page, test } from "@playwright/test";
import { eq } from "drizzle-orm";
import { connect } from "@/server/db/client";
import { accounts } from "@/server/db/schema";
import { serve } from "../../scripts/lib/build.mjs";
import { freePort } from "../../scripts/lib/database.mjs";
import { startDirectory, type TestDirectory } from "../support/directory";
import { listening } from "./helpers";

// Signing in by a company's own directory: a real OpenID provider (OpenID Connect Core 1.0), and Creel as its client.

const folder = mkdtempSync(join(tmpdir(), "creel-directory-"));
const SECRET = "of-the-client-and-nobody-else";
let directory: TestDirectory;
let server: Awaited<ReturnType<typeof serve>>;
let address: string;

test.beforeAll(async () => {
  const [own, theirs] = [await freePort(), await freePort()];
  address = `http://127.0.0.1:${own}`;
  const back = `${address}/api/auth/callback/directory`;
  directory = await startDirectory(theirs, { id: "creel", secret: SECRET, back });
  const more = {
    ...{ CREEL_URL: address, CREEL_OIDC_ISSUER: directory.issuer, CREEL_OIDC_CLIENT: "creel" },
    ...{ CREEL_OIDC_SECRET: SECRET, CREEL_OIDC_NAME: "Skerry Line" },
  };
  server = await serve(own, process.env.DATABASE_URL ?? "", join(folder, "web.log"), join(folder, "data"), { more });
});
test.afterAll(async () => {
  server?.kill("SIGKILL");
  await directory?.stop();
  rmSync(folder, { recursive: true, force: true });
});

async function signIn(browser: Browser, mail: string, next = "/media"): Promise<Page> {
  const context = await browser.newContext({ baseURL: address, storageState: { cookies: [], origins: [] } });
  // The provider's own pages ask for letters from elsewhere.
  await context.route(
    ({ hostname }) => hostname !== "127.0.0.1",
    (route) => route.abort(),
  );
  const page = await context.newPage();
  await page.goto(`/sign-in?next=${encodeURIComponent(next)}`);
  await listening(page);
  await page.getByRole("button", { name: "Sign in with Skerry Line" }).click();
  await page.locator("input[name=login]").fill(mail);
  await page.locator("input[name=password]").fill("anything");
  await page.locator("button[type=submit]").click();
  await page.getByRole("button", { name: "Continue" }).click();
  await page.waitForURL(new RegExp(`^${address}`));
  return page;
}

test("who has an account with the mail address comes in, to where they wanted", async ({ browser }) => {
  const page = await signIn(browser, "col.marrick@skerry.example");
  await expect(page).toHaveURL(`${address}/media`);
  await expect(page.getByRole("link", { name: "Your account, Col Marrick" })).toBeVisible();
  const cookies = await page.context().cookies(address);
  expect(cookies.find(({ name }) => name === "creel.session_token")).toMatchObject({ httpOnly: true, sameSite: "Lax" });
  // A second time it is the same account, also in other letters.
  const again = await signIn(browser, "Col.Marrick@skerry.example", "/kits");
  await expect(again).toHaveURL(`${address}/kits`);
});

test("nobody else does: it makes no accounts, and believes no address that was not verified", async ({ browser }) => {
  const db = connect(process.env.DATABASE_URL ?? "");
  const before = await db.$count(accounts);
  for (const mail of ["somebody@elsewhere.example", "unverified@skerry.example"]) {
    const page = await signIn(browser, mail);
    await expect(page.getByText("Your mail address in the directory has no account here")).toBeVisible();
    expect(new URL(page.url()).pathname).toBe("/sign-in");
  }
  await db.update(accounts).set({ closedAt: new Date() }).where(eq(accounts.email, "tam.gorrie@skerry.example"));
  const closed = await signIn(browser, "tam.gorrie@skerry.example");
  await expect(closed.getByRole("link", { name: /^Your account/ })).toHaveCount(0);
  await db.update(accounts).set({ closedAt: null }).where(eq(accounts.email, "tam.gorrie@skerry.example"));
  expect(await db.$count(accounts)).toBe(before);
  await db.$client.end();
});

test("what nobody began comes to nothing, and the secret is nowhere", async ({ request, browser }) => {
  for (const query of ["", "?code=x", "?code=x&state=y", "?error=access_denied&state=z", "?state[]=1"]) {
    const answer = await request.get(`${address}/api/auth/callback/directory${query}`, { maxRedirects: 0 });
    expect([query, answer.status() < 500, answer.headers()["set-cookie"] ?? ""].slice(0, 2)).toEqual([query, true]);
    expect(answer.headers()["set-cookie"] ?? "").not.toMatch(/session_token=[^;]/);
  }
  expect((await request.get(`${address}/api/auth/callback/other`)).status()).toBe(404);
  expect((await request.get(`${address}/api/auth/get-session`)).status()).toBe(404);
  // Nowhere but to Creel itself is anybody sent on.
  const context = await browser.newContext({ baseURL: address });
  const evil = {
    provider: "directory",
    callbackURL: "https://evil.example/",
    errorCallbackURL: "https://evil.example/",
  };
  const asked = await context.request.post("/api/auth/sign-in/social", { data: evil, headers: { origin: address } });
  expect(asked.status()).toBe(403);
  expect(readFileSync(join(folder, "web.log"), "utf8")).not.toContain(SECRET);
});
