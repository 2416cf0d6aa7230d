import { spawnSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { crc32, deflateSync } from "node:zlib";
import { expect, type Page, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
import { demoSession } from "../../scripts/lib/session.mjs";
import { dayText } from "../../src/core/words/dates";
import { listening, PEOPLE, signedInAs } from "./helpers";

async function open(page: Page, computer: string, happening: string, since?: string) {
  await page.goto("/");
  await expect(page.locator('[aria-busy="true"]')).toHaveCount(0);
  await page.keyboard.press("o");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Call-outs");
  await listening(page);
  await page.getByLabel("Computer").fill(computer);
  await page.getByLabel("What happened").selectOption({ label: happening });
  if (since) await page.getByLabel("Since").fill(since);
  await page.getByRole("button", { name: "Open call-out" }).click();
  await expect(page.getByRole("region", { name: "Best route" })).toBeVisible();
  await listening(page);
}

const step = (page: Page, act: RegExp) =>
  page
    .getByRole("listitem")
    .filter({ has: page.getByText(act) })
    .first();
const text = (bytes: Buffer) => {
  const folder = mkdtempSync(join(tmpdir(), "creel-report-"));
  writeFileSync(join(folder, "r.pdf"), bytes);
  const { stdout } = spawnSync("pdftotext", ["-layout", join(folder, "r.pdf"), "-"], { encoding: "utf8" });
  rmSync(folder, { recursive: true });
  return stdout;
};

test("from registering to handed back: a disk is gone, the image is put back, and the medium is proven by it", async ({
  page,
}) => {
  await open(page, "Reception", "its disk is gone");
  // Asked before anything else: as it is sold, which is what an image of such a disk fits on.
  await page.getByLabel("New disk (size)").fill("3 MB");
  await page.getByRole("button", { name: "Check fit" }).click();
  await expect(page.getByText(/Too small for a disk/)).toBeVisible();
  await page.getByLabel("New disk (size)").fill("500 GB");
  await page.getByRole("button", { name: "Check fit" }).click();
  await expect(page.getByText(/fits exactly/)).toBeVisible();
  const first = page.getByRole("region", { name: "Best route" });
  await expect(first.getByRole("heading")).toHaveText(dated("image restored, HO-001 2026-10-30"));
  // Its time, its loss and what to fetch are seen at once; what is no better is folded.
  await expect(first).toContainText("with SP-01");
  await expect(first).toContainText(/Time\s*[\d.]+ to [\d.]+ (minutes|hours)/);
  await expect(first).toContainText("Lost: changes of the last");
  await expect(first).toContainText("Fetch SP-01");
  const reinstalled = page.getByRole("region", { name: "reinstalled" });
  await expect(reinstalled.getByRole("button", { name: "Use this route" }).first()).toBeHidden();
  await reinstalled.getByText("reinstalled").click();
  await expect(reinstalled.getByRole("button", { name: "Use this route" }).first()).toBeVisible();
  await first.getByRole("button", { name: "Use this route" }).click();
  await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
  await listening(page);
  await step(page, /^Fetch SP-01/)
    .getByRole("button", { name: "Done" })
    .click();
  await expect(page.getByText("All ticks saved.")).toBeVisible();
  await expect(step(page, /^Fetch SP-01/).getByRole("button", { name: "Undo" })).toBeVisible();
  await step(page, /^Fetch SP-01/)
    .getByRole("button", { name: "Undo" })
    .click();
  await step(page, /^Fetch SP-01/)
    .getByRole("button", { name: "Done" })
    .click();
  await page.getByLabel("Note on step 2").fill("The cable was loose.");
  await page.getByLabel("Note on step 2").press("Enter");
  await expect(page.getByText("The cable was loose.")).toBeVisible();
  const startStep = step(page, /for the boot menu/);
  await startStep.getByText("Not in the boot menu?").click();
  await startStep.getByRole("button", { name: "Not in the boot menu: note it" }).click();
  await expect(startStep.getByRole("listitem").first()).toBeVisible();
  await page.reload();
  await expect(page.getByText("The cable was loose.")).toBeVisible();
  await listening(page);
  await expect(page.getByLabel("Outcome")).toHaveValue("image");
  const notTicked = (await page.getByText(/^\d+ steps not ticked/).textContent()) ?? "";
  await page.getByRole("button", { name: "Mark done" }).first().click();
  await expect(page.getByText(notTicked)).toHaveCount(0);
  await page.getByLabel("Serial", { exact: true }).fill("NEW-77");
  await page.getByLabel("Data lost").fill("four weeks of forms");
  await page.getByLabel("SP-01 worked").selectOption({ label: "Yes" });
  await page.getByRole("button", { name: "Hand back and close" }).click();
  await expect(page.getByText(/^recovered: image restored, .* Lost: four weeks of forms\.$/)).toBeVisible();
  const report = text(await (await page.request.get(`${page.url()}/report`)).body());
  expect(report).toContain("Call-out: HO-001");
  expect(report).toContain("What happened: its disk is gone.");
  expect(report).toContain("The cable was loose.");
  expect(report).toMatch(/1\. Fetch SP-01/);
  // What worked in earnest is a drill of today.
  const today = new Date().toISOString().slice(0, 10);
  await expect(page.getByRole("link", { name: "Take image" })).toBeVisible();
  // The dead disk does not stay in the facts.
  await page.goto("/computers/HO-001?show=disks");
  await expect(page.getByText("serial NEW-77")).toBeVisible();
  await page.goto("/computers/HO-001");
  await expect(page.getByText(new RegExp(`Restored .*on ${dayText(today)}`)).first()).toBeAttached();
});

test("a planned move: the old disk is copied onto the new one beside it, swapped, and kept", async ({ page }) => {
  await open(page, "HO-005", "it moves to a new disk");
  const copied = page.getByRole("heading", { level: 2, name: "disk copied" });
  await expect(copied).toHaveCount(0);
  await page.getByLabel("New disk (size)").fill("1 TB");
  await page.getByRole("button", { name: "Check fit" }).click();
  await expect(copied).toBeVisible();
  const way = page.getByRole("region", { name: "Best route" });
  await expect(way).toContainText("with SP-01");
  await expect(way).toContainText("Nothing lost.");
  await way.getByRole("button", { name: "Use this route" }).click();
  await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
  for (const act of [/Connect the new disk .* beside the old one/, /^Choose the source: /, /^Copy the old disk/])
    await expect(step(page, act)).toBeVisible();
  await expect(page.getByText("Disk fitting: One M.2 2280 NVMe slot and no second one")).toBeVisible();
  await expect(step(page, /Take the old disk out and fit the new one\./)).toBeVisible();
  await expect(step(page, /^Extend the last partition/)).toBeVisible();
  await expect(step(page, /^Keep the old disk as it is for 30 days/)).toBeVisible();
  await expect(page.getByLabel("Outcome")).toHaveValue("copy");
});

test("on a phone the sheet is worked through one step at a time, with a large tick", async ({ page }) => {
  await open(page, "HO-007", "it does not start");
  await page.setViewportSize({ width: 390, height: 844 });
  await page.getByRole("button", { name: "Use this route" }).first().click();
  await expect(page.getByText(/^Step 1 of \d+$/)).toBeVisible();
  await listening(page);
  const done = page.getByRole("button", { name: "Done", exact: true });
  await expect(done).toHaveCount(1);
  const box = await done.boundingBox();
  expect([(box?.width ?? 0) > 300, (box?.height ?? 0) >= 48]).toEqual([true, true]);
  await done.click();
  await expect(page.getByText(/^Step 2 of \d+$/)).toBeVisible();
  await page.getByRole("button", { name: "All steps" }).click();
  await expect(page.getByRole("button", { name: "Undo", exact: true })).toBeVisible();
  await page.getByRole("button", { name: "One step" }).click();
  await expect(done).toHaveCount(1);
});

test("without a connection no tick is lost: kept here, sent later, also after the page was loaded again", async ({
  page,
  context,
}) => {
  await open(page, "HO-004", "it does not start");
  await page.getByRole("button", { name: "Use this route" }).first().click();
  await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
  await listening(page);
  const done = page.getByRole("button", { name: "Done", exact: true });
  await done.first().click();
  await expect(page.getByText("All ticks saved.")).toBeVisible();
  const total = (await done.count()) + 1;
  await context.setOffline(true);
  for (let tick = 0; tick < 3; tick++) await done.first().click();
  await expect(
    page.getByText("No connection: 3 ticks are saved on this device and sent later. Carry on."),
  ).toBeVisible();
  await expect(done).toHaveCount(total - 4);
  await context.setOffline(false);
  await expect(page.getByText(/saved\. Available offline/)).toBeVisible();
  // Cut again, ticked, loaded again without a connection: the sheet is there with what was ticked. Then the page is left before there is a connection: the next one that is opened sends it.
  await context.setOffline(true);
  await done.first().click();
  await expect(page.getByText(/one tick is saved on this device/)).toBeVisible();
  await page.reload();
  await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
  await expect(page.getByText(/one tick is saved on this device/)).toBeVisible();
  await expect(page.getByRole("button", { name: "Done", exact: true })).toHaveCount(total - 5);
  const address = page.url();
  await context.setOffline(false);
  await page.goto(address);
  await expect(page.getByText("All ticks saved.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Done", exact: true })).toHaveCount(total - 5);
  const marks = await (await page.request.get(address.replace("/callouts/", "/api/callouts/").concat("/marks"))).json();
  expect(marks).toHaveLength(5);
});

test("a session that ends in the middle of a sheet loses no tick: they wait for whoever signs in again", async ({
  browser,
  baseURL,
}) => {
  const context = await signedInAs(browser, baseURL, "col");
  const page = await context.newPage();
  await open(page, "HO-003", "it does not start");
  await page.getByRole("button", { name: "Use this route" }).first().click();
  await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
  await listening(page);
  const done = page.getByRole("button", { name: "Done", exact: true });
  await done.first().click();
  await expect(page.getByText("All ticks saved.")).toBeVisible();
  await context.clearCookies();
  await done.first().click();
  await expect(page.getByText(/^Your session is over\. Sign in again in another tab/)).toBeVisible();
  await context.addCookies((await demoSession(baseURL ?? "", PEOPLE.col)).cookies);
  await expect(page.getByText("All ticks saved.")).toBeVisible();
  const marks = await page.request.get(page.url().replace("/callouts/", "/api/callouts/").concat("/marks"));
  expect(await marks.json()).toHaveLength(2);
  await context.close();
});

test("after malware only images from before it are offered", async ({ page }) => {
  await open(page, "HO-001", "malware got in", dated("2026-10-01"));
  await expect(
    page.getByText(dated("HO-001 2026-10-30 was taken after the fault may have been there, and is not offered.")),
  ).toBeVisible();
  await expect(page.getByRole("heading", { name: dated("HO-001 2026-10-30") })).toHaveCount(0);
  await expect(page.getByText(dated("HO-001 2026-10-30, "), { exact: true })).toHaveCount(0);
});

test("another disk: what fits is computed at once, and what to make smaller", async ({ page }) => {
  await open(page, "HO-001", "it moves to a new disk");
  await page.getByLabel("New disk (size)").fill("480 GB");
  await page.getByRole("button", { name: "Check fit" }).click();
  await expect(page.getByText(/does not fit: the disk is 20 GB too small/)).toBeVisible();
  await expect(page.getByText(/^The new disk is 20 GB smaller/)).toBeVisible();
  await page.getByLabel("New disk (size)").fill("1 TB");
  await page.getByRole("button", { name: "Check fit" }).click();
  await expect(page.getByText(/fits, with 500 GB to spare/)).toBeVisible();
});

test("another computer in its place: the ways are judged for it, with the old one's images", async ({ page }) => {
  await open(page, "HO-001", "it moves to a new computer");
  await page.getByText("New disk or replacement computer").click();
  await page.getByLabel("Replacement computer (tag)").fill("XX-77");
  await page.getByRole("button", { name: "Check routes" }).click();
  await expect(page.getByText(/XX-77/).last()).toBeVisible();
  await page.getByLabel("Replacement computer (tag)").fill("HO-SRV1");
  await page.getByRole("button", { name: "Check routes" }).click();
  await expect(page.getByText(/An image of HO-001 fits another model only with a kit/)).toBeVisible();
  await expect(page.getByLabel("Replacement computer (tag)")).toHaveValue("HO-SRV1");
});

test("a picture of the screen is kept with its step", async ({ page }) => {
  await open(page, "HO-005", "it does not start");
  await page.getByRole("button", { name: "Use this route" }).first().click();
  await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
  await listening(page);
  await page
    .locator('input[type="file"]:not([webkitdirectory])')
    .setInputFiles({ name: "screen.png", mimeType: "image/png", buffer: png(40, 30) });
  const link = page.getByRole("link", { name: "Picture" });
  // It is shown before it was sent: only then what is kept says that the server has it.
  await expect(link).toBeVisible();
  await expect(page.getByText("All ticks saved.")).toBeVisible();
  const answer = await page.request.get((await link.getAttribute("href")) ?? "");
  expect([answer.status(), answer.headers()["content-type"]]).toEqual([200, "image/jpeg"]);
});

/** A picture by hand. PNG specification, third edition, 5 and 11. */
function png(width: number, height: number): Buffer {
  const chunk = (type: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(type, "latin1"), data]);
    const ends = Buffer.alloc(8);
    ends.writeUInt32BE(data.length, 0);
    ends.writeUInt32BE(crc32(body), 4);
    return Buffer.concat([ends.subarray(0, 4), body, ends.subarray(4)]);
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  head.set([8, 0, 0, 0, 0], 8);
  const rows = Buffer.alloc((width + 1) * height, 120);
  for (let row = 0; row < height; row++) rows[row * (width + 1)] = 0;
  const signature = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);
  return Buffer.concat([
    signature,
    chunk("IHDR", head),
    chunk("IDAT", deflateSync(rows)),
    chunk("IEND", Buffer.alloc(0)),
  ]);
}
