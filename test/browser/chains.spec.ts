import { expect, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
import { revoking } from "../../scripts/demo/signers";
import { dayText } from "../../src/core/words/dates";
import { listening, openForm } from "./helpers";

test("the matrix: the worst come first, a cell opens with its reasons, the address holds it", async ({ page }) => {
  await page.goto("/chains");
  const table = page.getByRole("table");
  // The worst group comes first, and says what it is.
  await expect(table.getByRole("rowheader").first()).toHaveText(/^(Every chain is broken|No chain is certain)$/);
  await expect(table.getByRole("rowheader").filter({ hasText: "A whole chain holds" })).toBeVisible();
  // Media stand by their release.
  await expect(table.getByRole("columnheader", { name: "Bollard 5.0" })).toBeVisible();
  await table.getByRole("link", { name: /^SP-01 on HO-001:/ }).click();
  const opened = page.getByRole("region", { name: "SP-01 on HO-001" });
  await expect(opened.getByText(`as of ${dayText(dated("2026-10-30"))}`)).toBeVisible();
  await expect(opened.getByText("The image is on SP-01 itself.")).toBeVisible();
  await expect(page).toHaveURL(/computer=HO-001&medium=SP-01/);
  await page.reload();
  await expect(opened).toBeVisible();
  await opened.getByRole("link", { name: "Close" }).click();
  await expect(opened).toBeHidden();
});

test("Secure Boot: why a loader is refused on one computer and allowed on the other, and what would mend it", async ({
  page,
}) => {
  await page.goto("/chains?computer=HO-002&medium=SP-01");
  await expect(page.getByText(/Secure Boot refuses .*BOOTX64.EFI: it is not signed/).first()).toBeVisible();
  await expect(page.getByText("Switch Secure Boot off").first()).toBeVisible();
  await page.goto("/chains?computer=HO-002&medium=LN-01");
  await expect(
    page
      .getByText(/Secure Boot allows .*: it is signed by Norlight Third Party Signer 2011, issued by Norlight/)
      .first(),
  ).toBeVisible();
  await expect(page.getByText(/ended on 27 Jun 2026: firmware ignores expiry/)).toBeVisible();
});

test("a drill that is recorded closes the last link, and the matrix says so", async ({ page }) => {
  await page.goto("/chains?computer=HO-007&medium=RM-01");
  await expect(page.getByText("No drill of this medium on this computer.")).toBeVisible();
  await page.getByRole("link", { name: "Record a drill" }).click();
  await openForm(page, "/drills/new?medium=RM-01&computer=HO-007");
  await expect(page.getByLabel("Computer", { exact: true })).toHaveValue("HO-007");
  await page.getByLabel("Run on").fill(dated("2026-11-01"));
  // Nothing that counts as proof is chosen beforehand.
  await page.getByRole("button", { name: "Record drill" }).click();
  await expect(page.getByText("Choose a result.")).toBeVisible();
  await page.getByLabel("Passed: started, disks seen").check();
  await page.getByRole("button", { name: "Record drill" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("HO-007");
  await page.goto("/chains?computer=HO-007&medium=RM-01");
  await expect(page.getByText(`Started on this computer on ${dayText(dated("2026-11-01"))}.`)).toBeVisible();
});

test("a drill of a medium that is not there says so, and keeps what was typed", async ({ page }) => {
  await openForm(page, "/drills/new?medium=ZZ-NONE&computer=HO-001");
  await page.getByLabel("Note").fill("Beeped twice.");
  await page.getByLabel("Failed").check();
  await page.getByRole("button", { name: "Record drill" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "ZZ-NONE" })).toBeVisible();
  await expect(page.getByLabel("Note")).toHaveValue("Beeped twice.");
});

test("against releases a cell speaks of the medium that does best; a medium's page tells its chains", async ({
  page,
}) => {
  await page.goto("/chains");
  await page.getByLabel("Columns", { exact: true }).selectOption("releases");
  await expect(page.getByRole("link", { name: "Spindle 3.0", exact: true })).toBeVisible();
  await page
    .getByRole("table")
    .getByRole("link", { name: /^SP-01 on HO-001:/ })
    .click();
  await expect(page.getByRole("region", { name: "SP-01 on HO-001" })).toBeVisible();
  await page.goto("/media/SP-01");
  await expect(page.getByText("SP-01 is a route for 2 computers.")).toBeVisible();
  await page.getByRole("link", { name: "Show its chains" }).click();
  await expect(page.getByRole("columnheader").filter({ has: page.getByRole("link") })).toHaveCount(1);
});

test("the matrix filtered, and exported as it is shown", async ({ page }) => {
  await page.goto("/chains");
  await page.getByLabel("Site", { exact: true }).selectOption("MV Petrel");
  await expect(page.getByRole("rowheader").filter({ has: page.getByRole("link") })).toHaveCount(4);
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Export as CSV" }).click(),
  ]);
  const text = await (await download.createReadStream()).toArray();
  const lines = Buffer.concat(text as Buffer[])
    .toString("utf8")
    .trim()
    .split("\r\n");
  expect(lines[0]).toMatch(/^computer,name,site,.*LN-04/);
  expect(lines).toHaveLength(5);
  expect(lines.join("\n")).toMatch(/PE-B1,"Bridge, chart table",MV Petrel,/);
});

test("what if: a revocation list from a file is rehearsed, kept, and changes nothing", async ({ page }) => {
  await openForm(page, "/chains/rehearsals");
  await page.getByLabel("What happens").selectOption("revoke");
  await page.locator('input[type="file"]:not([webkitdirectory])').setInputFiles({
    name: "notes.txt",
    mimeType: "text/plain",
    buffer: Buffer.from("no list at all, just words"),
  });
  await expect(page.getByRole("alert").filter({ hasText: "notes.txt" })).toBeVisible();
  const list = Buffer.from(revoking(0, "norlight2011"), "base64");
  await page
    .locator('input[type="file"]:not([webkitdirectory])')
    .setInputFiles({ name: "dbx-2026.esl", mimeType: "application/octet-stream", buffer: list });
  await expect(page.getByText("1 entry in dbx-2026.esl.")).toBeVisible();
  await page.getByRole("button", { name: "Run what-if" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("dbx-2026.esl on every computer");
  await expect(page.getByText(/on \d+ of \d+ computers/)).toBeVisible();
  await expect(page.getByRole("rowheader").filter({ hasText: "HO-002" })).toBeVisible();
  const address = page.url();
  await page.goto("/chains?computer=HO-002&medium=LN-01");
  await expect(page.getByText(/Secure Boot allows/).first()).toBeVisible();
  await page.goto("/chains/rehearsals");
  await page.getByRole("link", { name: /^dbx-2026.esl on every/ }).click();
  await expect(page).toHaveURL(address);
});

test("what if a place is lost: who has no way back then comes first", async ({ page }) => {
  await openForm(page, "/chains/rehearsals");
  await page.getByLabel("What happens").selectOption("lose-site");
  await page.getByLabel("Site", { exact: true }).selectOption("Head office");
  await page.getByRole("button", { name: "Run what-if" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("The media kept at Head office are lost");
  await expect(page.getByRole("rowheader").first()).toBeVisible();
});

test("signers of the fleet: who allows them today, and after what was rehearsed", async ({ page }) => {
  await page.goto("/chains/signers");
  const row = page.getByRole("row").filter({ hasText: "Norlight Third Party CA 2011" });
  await expect(row).toContainText("ended 27 Jun 2026: what it signed still starts");
  await expect(row).toContainText("LN-03");
  await page
    .getByLabel("Compare with, after")
    .selectOption({ label: "dbx-2026.esl on every computer: its entries are revoked" });
  await page.getByRole("button", { name: "Show", exact: true }).click();
  await expect(page.getByText(/no computer allows a signer of .*LN-01/)).toBeVisible();
});

test("a drill is planned, said to be overdue where it is, and kept by holding it", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("link", { name: /drills planned/ }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "RM-01 on FU-B1" }).first()).toContainText("overdue since");
  await page.goto("/chains?computer=HO-007&medium=RM-01");
  await page.getByRole("link", { name: "Plan a drill" }).click();
  await listening(page);
  const planned = page.getByRole("region", { name: "Planned" });
  await planned.getByRole("button", { name: "Plan drill" }).click();
  await expect(planned.getByText(/A day is year, month and day/)).toBeVisible();
  await planned.getByLabel("Due by").fill(new Date(Date.now() + 86_400_000).toISOString().slice(0, 10));
  await planned.getByRole("button", { name: "Plan drill" }).click();
  const own = planned.getByRole("listitem").filter({ hasText: "RM-01 on HO-007" });
  await own.getByRole("link", { name: "Record result" }).click();
  await openForm(page, "/drills/new?medium=RM-01&computer=HO-007");
  await page.getByLabel("Passed: started, disks seen").check();
  await page.getByRole("button", { name: "Record drill" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("HO-007");
  await page.goto("/drills");
  await expect(own).toHaveCount(0);
  await expect(page.getByRole("listitem").filter({ hasText: "RM-01 on HO-007" }).first()).toContainText(
    "Passed: started",
  );
});
