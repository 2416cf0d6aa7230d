import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { listening } from "./helpers";

test("what is due is told with its reason and what it breaks, is put off with a reason, and taken up again", async ({
  page,
}) => {
  await page.goto("/upkeep?kind=stocktake");
  await listening(page);
  const item = page.getByRole("listitem").filter({ hasText: "Take stock at MV Fulmar" });
  await expect(item).toContainText("Stock was never taken there.");
  await item.getByRole("button", { name: /^Put off/ }).click();
  await page.getByLabel("Why").fill("The harbour is closed.");
  await page.getByLabel("Until").fill("2020-01-01");
  await page.getByRole("button", { name: "Put it off" }).click();
  await expect(page.getByText("That day is not ahead.")).toBeVisible();
  const later = new Date(Date.now() + 20 * 86_400_000).toISOString().slice(0, 10);
  await page.getByLabel("Until").fill(later);
  await page.getByRole("button", { name: "Put it off" }).click();
  await expect(page.getByRole("heading", { name: "Put off" })).toBeVisible();
  await expect(page.getByText(/by Ina Torvald: The harbour is closed\./)).toBeVisible();
  await page.getByRole("button", { name: "Take up: Take stock at MV Fulmar" }).click();
  await expect(page.getByRole("button", { name: "Put off: Take stock at MV Fulmar" })).toBeVisible();
});

test("a policy is said for a place; a computer tells what holds for it, and from where", async ({ page }) => {
  await page.goto("/policy?scope=site&target=Workshop");
  await listening(page);
  await page.getByLabel("Oldest drill, days").fill("many");
  await page.getByRole("button", { name: "Say it" }).click();
  await expect(page.getByText("A whole number is needed, or “any”.")).toBeVisible();
  await page.getByLabel("Place", { exact: true }).selectOption("MV Petrel");
  await expect(page.getByLabel("Longest way to a medium, minutes")).toHaveValue("0");
  await page.getByLabel("Place", { exact: true }).selectOption("Workshop");
  await expect(page.getByRole("button", { name: "Say it" })).toBeVisible();
  await listening(page);
  await page.getByLabel("Oldest drill, days").fill("any");
  await page.getByRole("button", { name: "Say it" }).click();
  await expect(page.getByRole("link", { name: "Workshop", exact: true })).toBeVisible();
  await page.goto("/computers/WS-004?show=policy");
  const row = page.getByRole("row", { name: /^Oldest drill/ });
  await expect(row).toContainText("any age");
  await expect(row).toContainText("as said for Workshop");
  await expect(page.getByRole("row", { name: /^Longest way to a medium/ })).toContainText("as said for all");
});

test("the least cover: computed, explained, decided anew, compared, accepted, and done", async ({ page }) => {
  await page.goto("/cover");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^\d+ computers of \d+ lack something/);
  await page.getByRole("link", { name: "Plan the least that would cover all" }).click();
  await listening(page);
  await page.getByLabel("Called").fill("First");
  await page.getByLabel("An hour of work costs").fill("dear");
  await page.getByRole("button", { name: "Compute it" }).click();
  await expect(page.getByText("A number is needed.")).toBeVisible();
  await page.getByLabel("An hour of work costs").fill("40");
  await page.getByRole("button", { name: "Compute it" }).click();
  await expect(page.getByText("It is proven that nothing costs less.")).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole("heading", { name: "To buy and make" })).toBeVisible();
  await expect(page.getByText(/^Serves \d+ computers?\. Without it /).first()).toBeVisible();
  await expect(page.getByRole("heading", { name: "What no plan can give" })).toBeVisible();
  const csv = await (await page.request.get(`${page.url()}/shopping`)).text();
  expect(csv).toMatch(/^place,what,count,price,total\r\n/);
  const planned = page.url();
  await page
    .getByRole("link", { name: /^buy nothing for / })
    .first()
    .click();
  await listening(page);
  await expect(
    page.getByRole("group", { name: "Nothing is bought for" }).getByRole("checkbox", { checked: true }),
  ).toHaveCount(1);
  await page.goto(planned);
  await page.getByRole("link", { name: "Decide more and compute again" }).click();
  await listening(page);
  await expect(page.getByLabel("Called")).toHaveValue("First, again");
  await page.getByLabel("Sandsay").check();
  await page.getByRole("button", { name: "Compute it" }).click();
  await expect(page.getByText("Nothing is to be bought for Sandsay, as you decided.").first()).toBeVisible({
    timeout: 60_000,
  });
  await page.goto("/cover/plans");
  await page.getByLabel(/^Compare First, number/).check();
  await page.getByLabel(/^Compare First, again/).check();
  await page.getByRole("button", { name: "Compare the marked ones" }).click();
  await expect(page.getByRole("row", { name: /^Computers covered/ })).toBeVisible();
  await page.getByRole("link", { name: "First", exact: true }).click();
  await listening(page);
  await page.getByRole("button", { name: "Accept it" }).click();
  await expect(page.getByRole("heading", { name: /^To do: \d+ of \d+/ })).toBeVisible();
  const open = await page.getByRole("heading", { name: /^To do/ }).textContent();
  await page.getByRole("checkbox").first().check();
  await expect(page.getByRole("heading", { name: /^To do/ })).not.toHaveText(open ?? "");
  await page.getByRole("link", { name: "To the bench" }).first().click();
  await expect(page.getByText(/: choose the berth that it is made in\./)).toBeVisible();
  await page.getByRole("link", { name: "Make a medium" }).first().click();
  await expect(page.getByRole("heading", { name: /^(The plan|It cannot be made this way)$/ })).toBeVisible();
  await page.goto("/upkeep/ahead?day=2027-06-01");
  await expect(page.getByRole("img", { name: "Computers that have what is asked, by day" })).toBeVisible();
  await expect(page.getByRole("heading", { name: /^On 1 Jun 2027 \d+ computers lack something/ })).toBeVisible();
});

test("a visit is printed or ticked, and its results are entered in one pass", async ({ page, context }) => {
  await page.goto("/upkeep/visits");
  await page.getByRole("link", { name: "MV Fulmar" }).click();
  await listening(page);
  await expect(page.getByText(/^\d+ things to do, about /)).toBeVisible();
  await page.getByLabel("Result: Try RM-01 on FU-B1").selectOption("started");
  await page.getByLabel("Note: Try RM-01 on FU-B1").fill("In the lower port.");
  await context.setOffline(true);
  await page.getByRole("button", { name: "Enter what was done" }).click();
  await expect(
    page.getByText("There is no connection: nothing was entered. Enter it once there is one."),
  ).toBeVisible();
  await expect(page.getByLabel("Note: Try RM-01 on FU-B1")).toHaveValue("In the lower port.");
  await context.setOffline(false);
  await page.getByRole("button", { name: "Enter what was done" }).click();
  await expect(page.getByText("1 recorded.")).toBeVisible();
  await expect(page.getByLabel("Result: Try RM-01 on FU-B1")).toHaveCount(0);
  await page.goto("/media/RM-01");
  await expect(page.getByText(/started on FU-B1/).first()).toBeVisible();
});

test("where digests go is said for each place; what is no address is refused, and stays to be mended", async ({
  page,
}) => {
  await page.goto("/upkeep/mail");
  await listening(page);
  await page.getByRole("button", { name: "Mail address of Sandsay: none" }).click();
  const field = page.getByLabel("Mail address of Sandsay");
  await expect(field).toBeFocused();
  await field.fill("quay at sandsay");
  await page.getByRole("button", { name: "Keep" }).click();
  await expect(page.getByText("This is no mail address. One looks like quay@skerry.example.")).toBeVisible();
  await expect(field).toHaveValue("quay at sandsay");
  await field.fill("sandsay@skerry.example");
  await page.getByRole("button", { name: "Keep" }).click();
  await page.getByRole("button", { name: "Mail address of Sandsay: sandsay@skerry.example" }).click();
  await field.fill("");
  await page.getByRole("button", { name: "Leave it" }).click();
  await expect(page.getByRole("button", { name: "Mail address of Sandsay: sandsay@skerry.example" })).toBeVisible();
});

test("calendars, reports and digests of a place", async ({ page }) => {
  await page.goto("/upkeep/mail");
  await listening(page);
  const feed = await page.request.get("/upkeep/calendar?site=Workshop");
  expect(feed.headers()["content-type"]).toContain("text/calendar");
  expect(await feed.text()).toContain("DTSTART;VALUE=DATE:");
  const folder = mkdtempSync(join(tmpdir(), "creel-browser-"));
  writeFileSync(join(folder, "r.pdf"), await (await page.request.get("/upkeep/report?site=Workshop")).body());
  const { stdout } = spawnSync("pdftotext", ["-layout", join(folder, "r.pdf"), "-"], { encoding: "utf8" });
  rmSync(folder, { recursive: true });
  expect(stdout).toContain("Upkeep of Workshop");
  await page.getByRole("button", { name: "Write them now" }).click();
  await expect(page.getByText(/^\d+ written; for \d+ nothing has changed\.$/)).toBeVisible();
  const file = page.getByRole("link", { name: /workshop\.eml$/ }).first();
  await expect(file).toBeVisible();
  const mail = await page.request.get((await file.getAttribute("href")) ?? "");
  expect(await mail.text()).toContain("Subject: Workshop: ");
  expect((await page.request.get("/upkeep/report?site=Nowhere")).status()).toBe(404);
});
