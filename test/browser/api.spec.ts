import { spawnSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type APIRequestContext, expect, request as http, test } from "@playwright/test";
import { connect } from "@/server/db/client";
import { openForm, signedInAs } from "./helpers";

// The HTTP interface as a machine uses it, with tokens that an administrator makes on their page.

let tokens: Record<"all" | "pier" | "facts", string>;

/** Requests with a token, from no page at all. */
const machine = (baseURL: string | undefined, token: string): Promise<APIRequestContext> =>
  http.newContext({
    ...(baseURL ? { baseURL } : {}),
    extraHTTPHeaders: { authorization: `Bearer ${token}` },
    storageState: { cookies: [], origins: [] },
  });

test.beforeAll(async ({ browser, baseURL }) => {
  const page = await (await signedInAs(browser, baseURL, "runa")).newPage();
  await openForm(page, "/tokens");
  const made = async (name: string, kind: string, site: string) => {
    const form = page.getByRole("main").locator("form");
    await form.getByLabel("Name").fill(name);
    await form.getByLabel("Good for").selectOption({ label: kind });
    await form.getByLabel("Site").selectOption({ label: site });
    const shown = page.getByRole("status").locator(".code");
    const before = (await shown.count()) > 0 ? await shown.textContent() : null;
    await page.getByRole("button", { name: "Make token" }).click();
    await expect.poll(() => shown.textContent()).not.toBe(before);
    return (await shown.textContent()) ?? "";
  };
  tokens = {
    all: await made("Reports", "Read", "all sites"),
    pier: await made("Screen of the pier", "Read", "North Pier"),
    facts: await made("Collectors", "Facts", "all sites"),
  };
  await page.reload();
  for (const secret of Object.values(tokens)) {
    expect(secret).toMatch(/^creel_[\w-]{43}$/);
    await expect(page.getByText(secret)).toHaveCount(0);
  }
  await page.context().close();
});

test("computers, routes, media, cover, what is due and what changed are read, a page at a time", async ({
  baseURL,
}) => {
  const all = await machine(baseURL, tokens.all);
  const computers = await (await all.get("/api/v1/computers")).json();
  expect(computers.total).toBeGreaterThan(28);
  expect(computers.items[0]).toMatchObject({ tag: expect.any(String), best: expect.any(String) });
  const one = await (await all.get("/api/v1/computers/HO-001")).json();
  expect(one).toMatchObject({ tag: "HO-001", site: "Head office", facts: { schema: "creel.facts/1" } });
  const routes = await (await all.get("/api/v1/computers/HO-001/routes")).json();
  expect(routes.items[0]).toMatchObject({
    medium: expect.any(String),
    links: { starts: { verdict: expect.any(String) } },
  });
  const pair = await (await all.get("/api/v1/media/RM-01/computers/HO-001")).json();
  expect(pair.items.every(({ medium }: { medium: string }) => medium === "RM-01")).toBe(true);
  expect(pair.items).toEqual(routes.items.filter(({ medium }: { medium: string }) => medium === "RM-01"));
  expect((await (await all.get("/api/v1/media?q=RM-01")).json()).items[0].tag).toBe("RM-01");
  expect((await (await all.get("/api/v1/releases")).json()).items.length).toBeGreaterThan(4);
  const cover = await (await all.get("/api/v1/cover")).json();
  expect(cover.total - cover.met).toBe(
    cover.sites.reduce((sum: number, site: { lacking: number }) => sum + site.lacking, 0),
  );
  expect((await (await all.get("/api/v1/due")).json()).items[0].title).toMatch(/\w/);
  const events = await (await all.get("/api/v1/events?after=0")).json();
  const later = await (await all.get(`/api/v1/events?after=${events.items[4].id}`)).json();
  expect(later.items[0].id).toBe(events.items[5].id);
});

test("what is as it was is not sent again", async ({ baseURL }) => {
  const all = await machine(baseURL, tokens.all);
  const first = await all.get("/api/v1/releases");
  const { etag } = first.headers();
  expect(etag).toMatch(/^"[\w-]{27}"$/);
  const again = await all.get("/api/v1/releases", { headers: { "if-none-match": etag ?? "" } });
  expect([again.status(), (await again.body()).length]).toEqual([304, 0]);
  const other = await all.get("/api/v1/releases", { headers: { "if-none-match": '"other"' } });
  expect(other.status()).toBe(200);
});

test("a token of one site reads nothing of another", async ({ baseURL }) => {
  const pier = await machine(baseURL, tokens.pier);
  const computers = await (await pier.get("/api/v1/computers")).json();
  expect([...new Set(computers.items.map(({ site }: { site: string }) => site))]).toEqual(["North Pier"]);
  expect((await pier.get("/api/v1/computers/HO-001")).status()).toBe(404);
  expect((await pier.get("/api/v1/media/RM-01/computers/HO-001")).status()).toBe(404);
  expect((await pier.get("/api/v1/computers?site=Workshop")).status()).toBe(404);
  expect((await pier.get("/api/v1/events")).status()).toBe(401);
  const due = await (await pier.get("/api/v1/due")).json();
  expect(due.items.every(({ site }: { site: string }) => site === "North Pier")).toBe(true);
});

test("facts are posted once, however often they are sent; what a token is not for it does not do", async ({
  baseURL,
}) => {
  const facts = await machine(baseURL, tokens.facts);
  const all = await machine(baseURL, tokens.all);
  const { facts: before } = await (await all.get("/api/v1/computers/WS-01")).json().catch(() => ({ facts: null }));
  const tag = before ? "WS-01" : "HO-006";
  const version = async () => (await (await all.get(`/api/v1/computers/${tag}`)).json()).version;
  const seen = await version();
  const body = {
    ...{ schema: "creel.facts/1", collected: { at: new Date().toISOString(), by: "creel-collect.sh 1" } },
    ...{ computer: { tag }, memoryBytes: 68_719_476_736 },
  };
  const headers = { "idempotency-key": "report-1" };
  const [first, second] = [
    await facts.post(`/api/v1/computers/${tag}/facts`, { data: body, headers }),
    await facts.post(`/api/v1/computers/${tag}/facts`, { data: body, headers }),
  ];
  expect([first.status(), await second.json()]).toEqual([200, await first.json()]);
  expect(await version()).toBe(seen + 1);
  expect((await (await all.get(`/api/v1/computers/${tag}`)).json()).facts.memoryBytes).toBe(68_719_476_736);
  const otherwise = await facts.post(`/api/v1/computers/${tag}/facts`, { data: { ...body, memoryBytes: 1 }, headers });
  expect([otherwise.status(), (await otherwise.json()).type]).toEqual([409, "urn:creel:problem:key-used-otherwise"]);

  const wrong = await facts.post("/api/v1/computers/HO-001/facts", { data: body });
  expect((await wrong.json()).detail).toBe(`These facts are of ${tag}, not of HO-001.`);
  expect((await facts.post("/api/v1/computers/NOT-THERE/facts", { data: body })).status()).toBe(404);
  for (const data of ["{", "[]", "null", '{"schema":"creel.facts/9"}', "x".repeat(5_000_000)]) {
    const refused = await facts.post(`/api/v1/computers/${tag}/facts`, {
      data,
      headers: { "content-type": "application/json" },
    });
    expect(refused.status()).toBe(data.length > 4_000_000 ? 413 : 400);
    expect(refused.headers()["content-type"]).toBe("application/problem+json");
  }
  expect((await facts.get("/api/v1/computers")).status()).toBe(401);
  expect((await all.post(`/api/v1/computers/${tag}/facts`, { data: body })).status()).toBe(401);
  expect((await all.get("/api/v1/nothing")).status()).toBe(404);
});

test("the command line asks a server what it asks the records, with a token", async ({ baseURL }) => {
  const creel = (token: string, ...args: string[]) => {
    const env = { ...process.env, CREEL_SERVER: baseURL ?? "", CREEL_TOKEN: token };
    return spawnSync(process.execPath, ["scripts/creel.mjs", ...args], { env, encoding: "utf8" });
  };
  expect(creel(tokens.pier, "computers").stdout).toMatch(/^NP-001 .*North Pier/m);
  expect(creel(tokens.pier, "computers").stdout).not.toContain("HO-001");
  expect(creel(tokens.all, "routes", "HO-001").stdout.split("\n")[0]).toMatch(/^holds/);
  expect(JSON.parse(creel(tokens.all, "computer", "HO-001").stdout)).toMatchObject({ schema: "creel.facts/1" });
  for (const question of ["media", "releases", "cover", "due", "events"]) {
    const answer = creel(tokens.all, question);
    expect([question, answer.status, answer.stdout.length > 50]).toEqual([question, 0, true]);
  }
  expect(creel(tokens.all, "pair", "RM-01", "HO-001").stdout).toContain("RM-01");
  expect(creel(tokens.facts, "computers")).toMatchObject({ status: 2, stdout: "" });
  const file = join(mkdtempSync(join(tmpdir(), "creel-facts-")), "facts.json");
  writeFileSync(file, JSON.stringify({ schema: "creel.facts/1", computer: { tag: "HO-002" } }));
  expect(creel(tokens.facts, "facts", "HO-002", file).stdout).toMatch(/^HO-002: /);
  expect(creel(tokens.facts, "facts", "HO-001", file).stderr).toContain("These facts are of HO-002, not of HO-001.");
});

test("a token that was ended, or is none, opens nothing; its use is seen", async ({ browser, baseURL }) => {
  const page = await (await signedInAs(browser, baseURL, "runa")).newPage();
  await openForm(page, "/tokens");
  const row = page.getByRole("row").filter({ hasText: "Reports" }).first();
  await expect(row).toContainText("127.0.0.1");
  await row.getByRole("button", { name: "End Reports" }).click();
  await expect(row).toContainText("ended");
  await page.context().close();
  for (const token of [tokens.all, "", `creel_${"x".repeat(43)}`, tokens.facts.slice(0, -1)])
    expect((await (await machine(baseURL, token)).get("/api/v1/computers")).status()).toBe(401);
  const db = connect(process.env.DATABASE_URL ?? "");
  const kept = JSON.stringify(await db.query.tokens.findMany());
  await db.$client.end();
  for (const secret of Object.values(tokens)) expect(kept).not.toContain(secret.slice(6));
});

test("the calendar of a site has an address of its own, which needs no sign-in", async ({ page, baseURL }) => {
  await openForm(page, "/upkeep/mail");
  await page.getByRole("button", { name: "Calendar address of Workshop" }).click();
  const address = (await page.getByRole("status").locator(".code").textContent()) ?? "";
  const nobody = await http.newContext({ storageState: { cookies: [], origins: [] } });
  const feed = await nobody.get(address);
  expect(feed.headers()["content-type"]).toContain("text/calendar");
  const places = (await feed.text()).match(/^LOCATION:.*$/gm)?.map((line) => line.trim());
  expect([...new Set(places)]).toEqual(["LOCATION:Workshop"]);
  expect((await nobody.get(`${address.slice(0, -1)}_`)).status()).toBe(401);
  expect((await nobody.get(`${baseURL}/upkeep/calendar`, { maxRedirects: 0 })).status()).toBe(401);
});

test("the interface describes itself, and answers as it says", async ({ baseURL }) => {
  const anybody = await http.newContext({
    ...(baseURL ? { baseURL } : {}),
    storageState: { cookies: [], origins: [] },
  });
  const description = await (await anybody.get("/api/v1/openapi.json")).json();
  expect(description.openapi).toBe("3.1.0");
  expect(Object.keys(description.paths)).toContain("/computers/{tag}/facts");
  const names = Object.values(description.paths).flatMap((path) =>
    Object.values(path as Record<string, { operationId: string }>).map(({ operationId }) => operationId),
  );
  expect(names).toEqual([...new Set(names)]);
});
