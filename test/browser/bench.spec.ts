import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { IMAGES } from "../../scripts/demo/images";
import { choose, openForm } from "./helpers";

/** The berth by its name, on the bench. */
async function berth(page: Page, name: string) {
  await page.goto("/bench");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Bench");
  return page.getByRole("listitem").filter({ has: page.getByText(name, { exact: true }) });
}

async function plan(page: Page, name: string, release: string, tag: string, way: string) {
  await (await berth(page, name)).getByRole("link", { name: "Make a medium" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(`Make a medium in ${name}`);
  await page.locator("select[name=release]").selectOption({ label: release });
  await page.getByLabel("The medium's tag").fill(tag);
  await page.getByLabel("Write as").selectOption({ label: way });
  await page.getByRole("button", { name: "Preview plan" }).click();
}

async function start(page: Page, tag: string, confirm: string) {
  await expect(page.locator("form[aria-busy=false]").last()).toBeVisible();
  await page.getByLabel(/^Confirm the device/).fill(confirm);
  await page.getByRole("button", { name: `Erase and write ${tag}` }).click();
}

test("a stick is planned, named, written, read back and recorded", async ({ page }) => {
  await plan(page, "Hub 1", "Bollard 5.0", "ZB-01", "partition and copy files");
  await expect(page.getByText("BIOS computers start it through GRUB")).toBeVisible();
  await expect(page.getByText(/^Route will hold for \d+ computers$/)).toBeVisible();
  await start(page, "ZB-01", "nope");
  await expect(page.getByText(/This does not name the device/)).toBeVisible();
  await start(page, "ZB-01", "7714");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Make ZB-01");
  await expect(page.getByText(/^Verified: all .* read back and intact/)).toBeVisible();
  await expect(page.getByText("As predicted.", { exact: true })).toBeVisible();
  await page.getByRole("link", { name: "See ZB-01" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZB-01");
  await expect(page.getByText("/EFI/BOOT/BOOTX64.EFI").first()).toBeVisible();
  const label = await page.request.get("/media/labels?tags=ZB-01&format=21");
  expect([label.headers()["content-type"], (await label.body()).subarray(0, 5).toString()]).toEqual([
    "application/pdf",
    "%PDF-",
  ]);
  const own = await berth(page, "Hub 1");
  await expect(own.getByRole("link", { name: "ZB-01" })).toBeVisible();
  await own.getByRole("button", { name: "Verify", exact: true }).click();
  await expect(page.getByText("Every file of the release is intact.")).toBeVisible();
  await (await berth(page, "Hub 1")).getByRole("button", { name: "Verify a sample" }).click();
  await expect(page.getByText(/^A sample was compared, .* Every file has its size\.$/)).toBeVisible();
});

test("what cannot be made says why, and what would do", async ({ page }) => {
  await plan(page, "Burner", "Bollard 5.0", "ZB-02", "an optical disc");
  await expect(page.getByRole("heading", { name: "The plan" })).toBeVisible();
  // A disc has neither a tag nor a serial: it is named by its berth.
  await start(page, "ZB-02", "burner");
  await expect(page.getByText(/^Verified: all .* read back/)).toBeVisible();
  await plan(page, "Hub 2", "Spindle 3.0", "ZB-02", "raw copy plus store");
  await expect(page.getByRole("heading", { name: "The plan" })).toBeVisible();
  await expect(page.getByText(/Store as exFAT/)).toBeVisible();
});

test("a second release is put beside the first, and what no computer would come to is refused", async ({ page }) => {
  await plan(page, "Hub 2", "Lantern 12", "ZB-21", "partition and copy files");
  await page.getByLabel("A second release").selectOption({ label: "Bollard 5.0" });
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByText("Lantern 12 comes up on 64-bit (x64) UEFI computers.")).toBeVisible();
  await expect(page.getByText("Bollard 5.0 comes up on 32-bit (ia32) UEFI and BIOS computers.")).toBeVisible();
  await expect(page.getByText(/Lantern 12 as FAT32, Bollard 5\.0 as FAT32\./)).toBeVisible();
  await page.getByLabel("A second release").selectOption({ label: "Lantern 11" });
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByRole("heading", { name: "Not possible" })).toBeVisible();
  await expect(page.getByText(/^No computer would start Lantern 11: another release/)).toBeVisible();
  // Another device would not help.
  await expect(page.getByText(/Use another one\.$/)).toHaveCount(0);
  await page.getByLabel("Write as").selectOption({ label: "raw copy" });
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByText(/^Several releases need “Partition and copy files”/)).toBeVisible();
});

test("a stick that is pulled out says so, and nothing is called verified", async ({ page }) => {
  await plan(page, "Hub 6", "Bollard 5.0", "ZB-03", "partition and copy files");
  await start(page, "ZB-03", "7702");
  await expect(page.getByText(/Device gone: unplugged or disconnected.*Nothing counts as verified/)).toBeVisible();
  await expect(page.getByRole("button", { name: "Resume" })).toBeVisible();
  const job = page.url();
  await page.goto("/media/ZB-03");
  await expect(page.getByRole("heading", { level: 1 })).not.toContainText("ZB-03");
  // Its plug is mended, and the job goes on.
  await berth(page, "Hub 6");
  await page.getByText("Simulation", { exact: true }).click();
  await page.getByLabel("Fault in Hub 6").selectOption("none");
  await expect(page.getByLabel("Fault in Hub 6")).toHaveValue("none");
  await page.goto(job);
  await page.getByRole("button", { name: "Resume" }).click();
  await expect(page.getByText(/^Verified: all .* read back/)).toBeVisible();
});

test("a counterfeit stick is found with its true size", async ({ page }) => {
  const own = await berth(page, "Hub 3");
  await own.getByRole("button", { name: "Test" }).click();
  await own.getByLabel(/^Every byte is written/).fill("0001");
  await own.getByRole("button", { name: "Erase and test" }).click();
  await expect(page.getByText(/Counterfeit: it holds 134 MB \(128 MiB\) and begins again behind that/)).toBeVisible({
    timeout: 60_000,
  });
});

test("the only route of others wants a second yes; a store is never offered", async ({ page }) => {
  await plan(page, "Front 1", "Bollard 5.0", "RM-01", "partition and copy files");
  await start(page, "RM-01", "rm-01");
  await expect(page.getByText("Confirm the loss first.")).toBeVisible();
  const dock = await berth(page, "Disk dock");
  await expect(dock.getByText(/Receives images/)).toBeVisible();
  await expect(dock.getByRole("link", { name: "Make a medium" })).toHaveCount(0);
});

test("media are proposed for computers, the best first, and planned from there", async ({ page }) => {
  await page.goto("/computers/HO-004");
  await page.getByRole("link", { name: "Suggest a medium" }).click();
  await expect(page.getByText("Route for it").first()).toBeVisible();
  await page.getByLabel("Computers (tags)").fill("HO-001 HO-002 FU-E1 NOPE");
  await page.getByRole("button", { name: "Suggest" }).click();
  await expect(page.getByText("No computer in service has the tag NOPE.")).toBeVisible();
  const best = page
    .getByRole("listitem")
    .filter({ has: page.getByRole("heading") })
    .first();
  await expect(best.getByRole("heading")).toHaveText(/^Bollard 5\.0, /);
  await expect(best.getByText(/Route for all 3.* a stick of 4 GB\./)).toBeVisible();
  await best
    .getByRole("link", { name: /^Preview plan in / })
    .first()
    .click();
  await expect(page.getByRole("heading", { level: 2, name: "The plan" })).toBeVisible();
  await expect(page.getByLabel("The medium's tag")).toHaveValue(/^RM-\d+$/);
});

test("what somebody laid into the library is carried along in the store", async ({ page }) => {
  await plan(page, "Hub 2", "Bollard 5.0", "ZB-05", "raw copy plus store");
  await page.getByLabel(/^workshop-tools\.iso/).check();
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByText(/^One file is added/)).toBeVisible();
});

test("a job is paused, goes on, and is cancelled", async ({ page }) => {
  await plan(page, "Hub 4", "Lantern 12", "ZB-04", "raw copy");
  await start(page, "ZB-04", "7690");
  await page.getByRole("button", { name: "Pause" }).click();
  await expect(page.getByText("Paused.")).toBeVisible();
  await page.getByRole("button", { name: "Resume" }).click();
  await expect(page.getByText(/^Resumed: of \d+ blocks/)).toBeVisible();
  await page.getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByText("Cancelled.").first()).toBeVisible();
  await page.goto("/media/ZB-04");
  await expect(page.getByRole("heading", { level: 1 })).not.toContainText("ZB-04");
});

test("devices tell of those bought with them", async ({ page }) => {
  await page.goto("/bench/devices");
  const batch = page.getByLabel("Batch of HP7690");
  await expect(batch).toBeEnabled();
  await batch.fill("spring 2026");
  // Loaded anew before it is saved, the page would not have it.
  const saved = page.waitForResponse((response) => response.request().method() === "POST");
  await batch.press("Enter");
  await saved;
  await page.reload();
  await expect(page.getByLabel("Batch of HP7690")).toHaveValue("spring 2026");
  await expect(page.getByRole("row").filter({ hasText: "0000000001" })).toContainText("do not use");
});

test("a medium is verified from its image, and damage dates it too", async ({ page }) => {
  // The file that the release was read from, as the server has it.
  const library = join(process.env.CREEL_DATA ?? join(".creel", "demo", "data"), "library");
  const folder = mkdtempSync(join(tmpdir(), "creel-verify-"));
  const image = join(folder, "rm-02.img");
  copyFileSync(join(library, IMAGES.bollard5.file), image);
  await openForm(page, "/media/RM-02/verify");
  await choose(page, image);
  await expect(page.getByText(/^Intact, to the byte/)).toBeVisible();
  await expect(page.getByText("Recorded with RM-02.")).toBeVisible();
  const bytes = readFileSync(image);
  bytes.write("X", bytes.indexOf("SERIAL 0 115200"));
  const damaged = join(folder, "rm-02-damaged.img");
  writeFileSync(damaged, bytes);
  await choose(page, damaged);
  await expect(page.getByText(/^Damaged: one file differs/)).toBeVisible();
  await page.getByRole("link", { name: "Back to RM-02" }).click();
  await expect(page.getByText(/; found damaged /)).toBeVisible();
  rmSync(folder, { recursive: true });
});

test("a device is taken out of its berth and put into another", async ({ page }) => {
  const hub = await berth(page, "Hub 4");
  await hub.getByRole("button", { name: "Remove" }).click();
  await expect(hub.getByText("empty")).toBeVisible();
  const rear = await berth(page, "Rear");
  await rear.getByLabel("Device for Rear").selectOption({ label: "Halyde Pebble, HP7690, 1,000 MB" });
  await rear.getByRole("button", { name: "Insert" }).click();
  await expect(rear.getByText("7690")).toBeVisible();
});
