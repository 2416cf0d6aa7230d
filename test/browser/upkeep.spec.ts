import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
import { dayText } from "../../src/core/words/dates";
import { listening, openForm } from "./helpers";

test("what is due is told with its reason and what it breaks, is put off with a reason, and taken up again", async ({
  page,
}) => {
  await page.goto("/upkeep?kind=stocktake");
  await listening(page);
  const item = page.getByRole("listitem").filter({ hasText: "Take stock at MV Fulmar" });
  await expect(item).toContainText("No stock-taking recorded.");
  await item.getByRole("button", { name: /^Postpone/ }).click();
  await page.getByLabel("Why").fill("The harbour is closed.");
  await page.getByLabel("Until").fill("2020-01-01");
  await page.getByRole("button", { name: "Postpone", exact: true }).click();
  await expect(page.getByText("Choose a day in the future.")).toBeVisible();
  const later = new Date(Date.now() + 20 * 86_400_000).toISOString().slice(0, 10);
  await page.getByLabel("Until").fill(later);
  await page.getByRole("button", { name: "Postpone", exact: true }).click();
  await expect(page.getByRole("heading", { name: "Postponed" })).toBeVisible();
  await expect(page.getByText(/by Ina Torvald: The harbour is closed\./)).toBeVisible();
  await page.getByRole("button", { name: "Reopen: Take stock at MV Fulmar" }).click();
  await expect(page.getByRole("button", { name: "Postpone: Take stock at MV Fulmar" })).toBeVisible();
});

test("policy is one table: a value is edited where it stands, inherited ones are grey, what was done is undone", async ({
  page,
}) => {
  await openForm(page, "/policy");
  const cell = (rule: string, target: string) => page.getByRole("button", { name: `${rule} for ${target}` });
  await expect(cell("Maximum travel time", "MV Petrel")).toHaveText(/on site only/);
  await expect(cell("Maximum drill age", "MV Petrel")).toHaveText(/365 days \(inherited\)/);
  // A rule for one more site.
  await page.getByLabel("Add rule for a").selectOption("site");
  await page.getByLabel("Site", { exact: true }).selectOption("Workshop");
  await page.getByRole("button", { name: "Add column" }).click();
  await cell("Maximum drill age", "Workshop").click();
  const field = page.getByRole("textbox", { name: "Maximum drill age for Workshop" });
  await field.fill("many");
  await field.press("Enter");
  await expect(page.getByText("A whole number is needed, or “any”.")).toBeVisible();
  await field.fill("0");
  await field.press("Enter");
  await expect(page.getByRole("alert").filter({ hasText: "1" })).toBeVisible();
  await field.fill("any");
  await field.press("Enter");
  await expect(cell("Maximum drill age", "Workshop")).toHaveText(/any age$/);
  await expect(page.getByText("Saved. Maximum drill age for Workshop: any age.")).toBeVisible();
  await page.goto("/computers/WS-004?show=policy");
  const row = page.getByRole("row", { name: /^Maximum drill age/ });
  await expect(row).toContainText("any age");
  await expect(row).toContainText("rule for Workshop");
  await expect(page.getByRole("row", { name: /^Maximum travel time/ })).toContainText("rule for all computers");
  // Escape gives up; what was saved is undone; a rule that is removed comes back.
  await openForm(page, "/policy");
  await cell("Maximum travel time", "Workshop").click();
  await page.getByRole("textbox", { name: "Maximum travel time for Workshop" }).fill("5");
  await page.getByRole("textbox", { name: "Maximum travel time for Workshop" }).press("Escape");
  await expect(cell("Maximum travel time", "Workshop")).toHaveText(/60 minutes \(inherited\)/);
  await page.getByRole("button", { name: "Remove the rule for Workshop" }).click();
  await expect(page.getByText("Saved. Removed: the rule for Workshop.")).toBeVisible();
  await expect(page.getByRole("columnheader", { name: "Workshop" })).toHaveCount(0);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(cell("Maximum drill age", "Workshop")).toHaveText(/any age$/);
});

test("the least cover: computed, explained, decided anew, compared, accepted, and done", async ({ page }) => {
  // More is asked at Sandsay than its sticks can do.
  await openForm(page, "/policy?scope=site&target=Sandsay");
  for (const [rule, value] of [
    ["Start-up repair routes", "2"],
    ["Maximum travel time", "0"],
  ] as const) {
    await page.getByRole("button", { name: new RegExp(`^${rule}.* for Sandsay`) }).click();
    const field = page.getByRole("textbox", { name: new RegExp(`^${rule}.* for Sandsay`) });
    await field.fill(value);
    await field.press("Enter");
    await expect(page.getByText(new RegExp(`^Saved\\. ${rule}`))).toBeVisible();
  }
  await page.goto("/cover");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^\d+ computers of \d+ miss their policy/);
  await page.getByRole("link", { name: "Plan least-cost cover" }).click();
  await listening(page);
  await page.getByLabel("Name", { exact: true }).fill("First");
  await page.getByLabel("Hour of work (cost)").fill("dear");
  await page.getByRole("button", { name: "Compute plan" }).click();
  await expect(page.getByText("A number is needed.")).toBeVisible();
  await page.getByLabel("Hour of work (cost)").fill("40");
  await page.getByRole("button", { name: "Compute plan" }).click();
  await expect(page.getByText("Proven: nothing costs less.")).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole("heading", { name: "Buy and make" })).toBeVisible();
  await expect(page.getByText(/^Serves \d+ computers?\. Without it /).first()).toBeVisible();
  await expect(page.getByRole("heading", { name: "Not achievable" })).toBeVisible();
  const csv = await (await page.request.get(`${page.url()}/shopping`)).text();
  expect(csv).toMatch(/^site,what,count,price,total\r\n/);
  const planned = page.url();
  await page
    .getByRole("link", { name: /^buy nothing for / })
    .first()
    .click();
  await listening(page);
  await expect(
    page.getByRole("group", { name: "No purchases for" }).getByRole("checkbox", { checked: true }),
  ).toHaveCount(1);
  await page.goto(planned);
  await page.getByRole("link", { name: "Change constraints and recompute" }).click();
  await listening(page);
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("First, again");
  await page.getByLabel("Sandsay").check();
  await page.getByRole("button", { name: "Compute plan" }).click();
  await expect(page.getByText(/No purchases for Sandsay, by your constraint\./).first()).toBeVisible({
    timeout: 60_000,
  });
  await page.goto("/cover/plans");
  await page.getByLabel(/^Compare First, number/).check();
  await page.getByLabel(/^Compare First, again/).check();
  await page.getByRole("button", { name: "Compare selected" }).click();
  await expect(page.getByRole("row", { name: /^Computers covered/ })).toBeVisible();
  await page.getByRole("link", { name: "First", exact: true }).click();
  await listening(page);
  await page.getByRole("button", { name: "Accept plan" }).click();
  await expect(page.getByRole("heading", { name: /^To do: \d+ of \d+/ })).toBeVisible();
  const open = await page.getByRole("heading", { name: /^To do/ }).textContent();
  await page.getByRole("checkbox").first().check();
  await expect(page.getByRole("heading", { name: /^To do/ })).not.toHaveText(open ?? "");
  await page.getByRole("link", { name: "Open bench" }).first().click();
  await expect(page.getByText(/: choose a berth\./)).toBeVisible();
  // Of a berth of the bench, with what is to be made already said.
  await page.getByRole("listitem").getByRole("link", { name: "Make a medium" }).first().click();
  await expect(
    page.getByRole("region", { name: "Plan" }).or(page.getByRole("heading", { name: "Not possible" })),
  ).toBeVisible();
  await page.goto(`/upkeep/ahead?day=${dated("2027-06-01")}`);
  await expect(page.getByRole("img", { name: "Computers that meet their policy, by day" })).toBeVisible();
  await expect(
    page.getByRole("heading", { name: new RegExp(`^On ${dayText(dated("2027-06-01"))} \\d+ computers `) }),
  ).toBeVisible();
});

test("a visit is printed or ticked, and its results are entered in one pass", async ({ page, context }) => {
  await page.goto("/upkeep/visits");
  await page.getByRole("link", { name: "MV Fulmar" }).click();
  await listening(page);
  await expect(page.getByText(/^\d+ things to do, about /)).toBeVisible();
  await page.getByLabel("Result: Run a drill of RM-01 on FU-B1").selectOption("started");
  await page.getByLabel("Note: Run a drill of RM-01 on FU-B1").fill("In the lower port.");
  await context.setOffline(true);
  await page.getByRole("button", { name: "Record results" }).click();
  await expect(page.getByText("No connection. Nothing recorded. Try again later.")).toBeVisible();
  await expect(page.getByLabel("Note: Run a drill of RM-01 on FU-B1")).toHaveValue("In the lower port.");
  await context.setOffline(false);
  await page.getByRole("button", { name: "Record results" }).click();
  await expect(page.getByText("1 recorded.")).toBeVisible();
  await expect(page.getByLabel("Result: Run a drill of RM-01 on FU-B1")).toHaveCount(0);
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
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("This is no mail address. One looks like quay@skerry.example.")).toBeVisible();
  await expect(field).toHaveValue("quay at sandsay");
  await field.fill("sandsay@skerry.example");
  await page.getByRole("button", { name: "Save" }).click();
  await page.getByRole("button", { name: "Mail address of Sandsay: sandsay@skerry.example" }).click();
  await field.fill("");
  await page.getByRole("button", { name: "Cancel" }).click();
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
  await page.getByRole("button", { name: "Send digests now" }).click();
  await expect(page.getByText(/^\d+ written; for \d+ nothing has changed\.$/)).toBeVisible();
  const file = page.getByRole("link", { name: /workshop\.eml$/ }).first();
  await expect(file).toBeVisible();
  const mail = await page.request.get((await file.getAttribute("href")) ?? "");
  expect(await mail.text()).toContain("Subject: Workshop: ");
  expect((await page.request.get("/upkeep/report?site=Nowhere")).status()).toBe(404);
});
