import { expect, test } from "@playwright/test";
import { listening } from "./helpers";

test("a medium is lent, is seen on the list, and is checked in by its tag", async ({ page }) => {
  await page.goto("/media/RM-05");
  await listening(page);
  await page.getByRole("button", { name: "Lend", exact: true }).click();
  await page.getByLabel("To", { exact: true }).fill("Runa Esk");
  await page.getByRole("button", { name: "Lend medium" }).click();
  await expect(page.getByRole("button", { name: "Return medium" })).toBeVisible();
  await page.goto("/sites");
  await expect(page.getByRole("listitem").filter({ hasText: "RM-05" })).toContainText("with Runa Esk");
  await page.getByRole("link", { name: "North Pier", exact: true }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("North Pier");
  await listening(page);
  await page.getByLabel("Scan a tag to check it in").fill("rm-05");
  await page.keyboard.press("Enter");
  await expect(page.getByText("rm-05 is here.")).toBeVisible();
  await expect(page.getByRole("link", { name: "RM-05", exact: true })).toBeVisible();
});

test("stock is taken by scanning: what is missing, from elsewhere and unknown says so", async ({ page }) => {
  await page.goto("/sites");
  await page.getByRole("link", { name: "Sandsay", exact: true }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Sandsay");
  await listening(page);
  await page.getByRole("button", { name: "Take stock" }).click();
  for (const tag of ["LN-02", "SP-03", "ZZ-99"]) {
    await page.getByLabel("Scan each medium").fill(tag);
    await page.keyboard.press("Enter");
    await expect(page.getByRole("status").filter({ hasText: new RegExp(tag, "i") })).toBeVisible();
  }
  await expect(page.getByText(/^Here, as recorded: LN-02/)).toBeVisible();
  await expect(page.getByText(/^No medium has the tag: zz-99/)).toBeVisible();
  await page.getByRole("button", { name: "Finish stock-taking" }).click();
  await expect(page.getByText(/^Stock taken: \d+ found, \d+ from elsewhere, \d+ missing\.$/)).toBeVisible();
  await expect(page.getByText(/^\d+ media\. Stock taken /)).toBeVisible();
});

test("a drill is held on an emulated computer, and is told as a hint", async ({ page }) => {
  test.setTimeout(240_000);
  await page.goto("/drills/new?medium=RM-01&computer=HO-002");
  await listening(page);
  await page.getByRole("button", { name: "Start emulated drill" }).click();
  // Its loader is not signed, and Secure Boot is on there.
  await expect(page.getByText(/^Secure Boot did not let a loader of the medium run\./)).toBeVisible({
    timeout: 100_000,
  });
  await page.goto("/drills/new?medium=RM-01&computer=HO-002");
  await listening(page);
  await page.getByLabel("Secure Boot").selectOption("off");
  await page.getByRole("button", { name: "Start emulated drill" }).click();
  await expect(page.getByText("Passed: started.", { exact: true })).toBeVisible({ timeout: 100_000 });
  await expect(page.getByText(/a hint, not proof/)).toBeVisible();
  await expect(page.getByAltText("Final screen")).toBeVisible();
  await page.goto("/media/RM-01");
  await expect(page.getByText(/started on HO-002, emulated/)).toBeVisible();
});
