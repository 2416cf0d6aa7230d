import { spawnSync } from "node:child_process";
import { mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type APIRequestContext, expect, type Page, test } from "@playwright/test";
import { listening, openForm } from "./helpers";

const folder = mkdtempSync(join(tmpdir(), "creel-browser-arrivals-"));
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Makes a link, and gives its secret, which the page shows this once. */
async function makeLink(page: Page, site: string): Promise<string> {
  await openForm(page, "/computers/collect");
  await page.getByLabel("Site", { exact: true }).selectOption({ label: site });
  await page.getByRole("button", { name: "Make link" }).click();
  const line = await page.getByRole("region", { name: "New link" }).locator(".code").first().textContent();
  return /creel_[A-Za-z0-9_-]+/.exec(line ?? "")?.[0] ?? "";
}

async function report(request: APIRequestContext, token: string, facts: object, at = "2026-11-01T08:00:00Z") {
  const data = { schema: "creel.facts/1", collected: { at, by: "creel-collect.sh 2" }, ...facts };
  const answer = await request.post("/api/v1/facts", { data, headers: { authorization: `Bearer ${token}` } });
  expect(answer.status()).toBe(200);
  return (await answer.json()) as { state: string; tag: string | null; text: string };
}

const box = (serial: string, more: object = {}) => ({
  computer: { make: "Tarn", model: "Box 3", serial },
  firmware: { kind: "uefi", arch: "x64", legacyMode: "absent", secureBoot: { state: "off" } },
  ...more,
});

test("computers that report wait, are accepted under tags of their site, and report on by themselves", async ({
  page,
  request,
}) => {
  const token = await makeLink(page, "Workshop");
  for (const serial of ["TB-1", "TB-2", "TB-3"])
    expect((await report(request, token, box(serial))).state).toBe("waiting");
  await openForm(page, "/computers/arrivals");
  for (const serial of ["TB-1", "TB-2"])
    await page.getByRole("listitem").filter({ hasText: serial }).getByRole("checkbox").check();
  await expect(page.getByLabel("Site", { exact: true })).toHaveValue(/\d+/);
  await page.getByLabel("Prefix", { exact: true }).fill("WS-T");
  await page.getByRole("button", { name: "Accept 2 computers" }).click();
  await expect(page.getByText(/^WS-T00\d to WS-T00\d are recorded\.$/)).toBeVisible();
  await page.getByRole("listitem").filter({ hasText: "TB-3" }).getByRole("checkbox").check();
  await page.getByRole("button", { name: "Mark as not ours" }).click();
  await expect(page.getByText("1 computer marked as not ours.")).toBeVisible();
  const again = await report(request, token, box("TB-1"));
  expect(again).toMatchObject({ state: "same", tag: expect.stringMatching(/^WS-T00\d$/) });
  expect((await report(request, token, box("TB-3"))).state).toBe("dismissed");

  // What changes which media start it is told on the first page, until somebody has seen it.
  const secured = { firmware: { ...box("").firmware, secureBoot: { state: "on", pk: "", kek: "", db: "", dbx: "" } } };
  // The page is open already, and hears of it by itself.
  await openForm(page, "/");
  await page.locator('[data-hears="reports"]').waitFor({ state: "attached" });
  expect((await report(request, token, box("TB-1", secured), "2026-11-02T08:00:00Z")).state).toBe("taken");
  const told = page
    .getByRole("region", { name: "Reported by computers" })
    .getByRole("listitem")
    .filter({ hasText: `Secure Boot was switched on at ${again.tag}` });
  await expect(told).toBeVisible();
  await told.getByRole("button", { name: "Mark as seen" }).click();
  await expect(told).toHaveCount(0);
});

test("one that may be recorded already is shown beside it, and joined to it", async ({ page, request }) => {
  const token = await makeLink(page, "all sites");
  const disks = [{ name: "sda", bytes: 256e9, serial: "OLD-DISK-1" }];
  await report(request, token, box("JN-1", { disks }));
  await openForm(page, "/computers/arrivals");
  await page.getByRole("listitem").filter({ hasText: "JN-1" }).getByRole("checkbox").check();
  await page.getByLabel("Prefix", { exact: true }).fill("WS-J");
  await page.getByRole("button", { name: "Accept 1 computer" }).click();
  await expect(page.getByText("WS-J001 is recorded.")).toBeVisible();
  await report(request, token, box("JN-2", { disks }));
  await page.reload();
  const item = page.getByRole("listitem").filter({ hasText: "JN-2" }).first();
  await expect(item).toContainText("Same disk, different serial.");
  await item.getByRole("link", { name: "Compare all facts" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("Reported computer and WS-J001");
  await expect(
    page.getByText(/differ\. The others match, or were not reported|All reported facts match/),
  ).toBeVisible();
  await page.goBack();
  await listening(page);
  await item.getByRole("button", { name: "Merge into WS-J001" }).click();
  await expect(page.getByText("Facts of WS-J001 imported.")).toBeVisible();
});

test("the line of a link runs as it is shown; once the link is ended nothing is taken, and the facts are kept", async ({
  page,
  baseURL,
}) => {
  const token = await makeLink(page, "Workshop");
  const line = `curl -fsS ${baseURL}/api/collect/${token}/creel-collect.sh | sh`;
  const run = () => spawnSync("sh", ["-c", line], { cwd: folder, encoding: "utf8" });
  expect(run().stderr).toContain("Not recorded yet");
  const script = await (await page.request.get(`/api/collect/${token}/creel-collect.sh`)).text();
  await openForm(page, "/computers/collect");
  await page
    .getByRole("row", { name: /Workshop/ })
    .getByRole("button", { name: /^End the link/ })
    .first()
    .click();
  await expect.poll(async () => (await page.request.get(`/api/collect/${token}/creel-collect.sh`)).status()).toBe(401);
  const late = spawnSync("sh", ["-s"], { cwd: folder, encoding: "utf8", input: script });
  expect([late.status, late.stderr]).toEqual([1, expect.stringContaining("The facts are in")]);
  expect(readdirSync(folder).filter((name) => name.startsWith("creel-facts-"))).toHaveLength(1);
});
