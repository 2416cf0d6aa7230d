import { randomUUID } from "node:crypto";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type CDPSession, expect, type Page, test } from "@playwright/test";
import { and, eq } from "drizzle-orm";
import { hashPassword } from "@/server/accounts/passwords";
import { connect } from "@/server/db/client";
import { accounts, audits, credentials, passkeys } from "@/server/db/schema";
import { serve } from "../../scripts/lib/build.mjs";
import { freePort } from "../../scripts/lib/database.mjs";
import { listening } from "./helpers";

// Passkeys, with an authenticator that the browser plays (Web Authentication level 2, 11: user agent automation).

const folder = mkdtempSync(join(tmpdir(), "creel-passkeys-"));
const db = connect(process.env.DATABASE_URL ?? "");
const MAIL = "tam.gorrie@skerry.example";
const PASSWORD = "the terns of Sandsay";
let server: Awaited<ReturnType<typeof serve>>;
let address: string;
let accountId: string;

test.beforeAll(async () => {
  const own = await freePort();
  // A number has no passkeys: they are of a name.
  address = `http://localhost:${own}`;
  const more = { CREEL_URL: `${address},http://127.0.0.1:${own}` };
  server = await serve(own, process.env.DATABASE_URL ?? "", join(folder, "web.log"), join(folder, "data"), { more });
  const account = await db.query.accounts.findFirst({ where: eq(accounts.email, MAIL) });
  accountId = account?.id ?? "";
  const password = await hashPassword(PASSWORD);
  await db
    .insert(credentials)
    .values({ id: randomUUID(), userId: accountId, accountId, providerId: "credential", password });
});
test.afterAll(async () => {
  server?.kill("SIGKILL");
  await db.delete(credentials).where(and(eq(credentials.userId, accountId), eq(credentials.providerId, "credential")));
  await db.delete(passkeys).where(eq(passkeys.userId, accountId));
  await db.$client.end();
  rmSync(folder, { recursive: true, force: true });
});

async function authenticator(page: Page): Promise<{ cdp: CDPSession; id: string }> {
  const cdp = await page.context().newCDPSession(page);
  await cdp.send("WebAuthn.enable");
  const { authenticatorId } = await cdp.send("WebAuthn.addVirtualAuthenticator", {
    options: {
      ...{ protocol: "ctap2", transport: "internal", hasResidentKey: true },
      ...{ hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true },
    },
  });
  return { cdp, id: authenticatorId };
}

test("a passkey is added, signs in alone, is refused without the gesture, and once it is removed", async ({
  browser,
}) => {
  const context = await browser.newContext({ baseURL: address, storageState: { cookies: [], origins: [] } });
  const page = await context.newPage();
  const { cdp, id } = await authenticator(page);
  await page.goto("/sign-in?next=/account");
  await listening(page);
  await page.getByLabel("Mail address").fill(MAIL);
  await page.getByLabel("Password").fill(PASSWORD);
  await page.getByRole("button", { name: "Sign in", exact: true }).click();
  await expect(page.getByRole("heading", { name: "Passkeys" })).toBeVisible();
  await listening(page);
  await page.getByLabel("Name of the device").fill("Laptop of the pier");
  await page.getByRole("button", { name: "Add a passkey" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "Laptop of the pier" })).toBeVisible();

  const byPasskey = async () => {
    await context.clearCookies();
    await page.goto("/sign-in?next=/media");
    await listening(page);
    await page.getByRole("button", { name: "Sign in with a passkey" }).click();
  };
  await byPasskey();
  await expect(page).toHaveURL(`${address}/media`);
  await expect(page.getByRole("link", { name: "Your account, Tam Gorrie" })).toBeVisible();

  // Somebody else at the unlocked device: the gesture is missing.
  await cdp.send("WebAuthn.setUserVerified", { authenticatorId: id, isUserVerified: false });
  await byPasskey();
  await expect(page.getByText("No passkey was used.")).toBeVisible();
  await cdp.send("WebAuthn.setUserVerified", { authenticatorId: id, isUserVerified: true });

  await byPasskey();
  await expect(page).toHaveURL(`${address}/media`);
  await page.goto("/account");
  await listening(page);
  await page.getByRole("button", { name: "Remove the passkey Laptop of the pier" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "Laptop of the pier" })).toBeHidden();
  await byPasskey();
  await expect(page.getByText("This passkey was removed.")).toBeVisible();
  expect((await db.select().from(audits).where(eq(audits.act, "removePasskey"))).length).toBeGreaterThan(0);
});

test("what was not asked for is not taken for an answer, and a server without a name offers none", async ({
  request,
  page,
}) => {
  const answer = { id: "x", rawId: "x", type: "public-key", clientExtensionResults: {}, response: {} };
  for (const path of ["verify-authentication", "verify-registration"]) {
    const data = { response: answer, name: "x" };
    const told = await request.post(`${address}/api/auth/passkey/${path}`, { data, headers: { origin: address } });
    expect([path, told.status() >= 400 && told.status() < 500]).toEqual([path, true]);
  }
  for (const path of ["list-user-passkeys", "delete-passkey", "update-passkey"])
    expect((await request.get(`${address}/api/auth/passkey/${path}`)).status()).toBe(404);
  // The tests' own server is known by a number.
  await page.goto("/account");
  await expect(page.getByRole("heading", { name: "Signed in at" })).toBeVisible();
  await expect(page.getByRole("heading", { name: "Passkeys" })).toHaveCount(0);
});
