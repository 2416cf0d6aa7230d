import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { IMAGES } from "../../scripts/demo/images";
import { run, Workshop } from "../../scripts/media/workshop";
import { choose, listening, openForm } from "./helpers";

const folder = mkdtempSync(join(tmpdir(), "creel-browser-kits-"));
const w = new Workshop(folder);
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

const tab = (page: Page, name: string) =>
  page.getByRole("navigation", { name: "What was read" }).getByRole("link", { name }).click();

/** Opens the page that reads a dropped file, and waits until it has read all. */
async function look(page: Page, file: string): Promise<void> {
  await openForm(page, "/look");
  await choose(page, file);
  await expect(page.getByText("Fully read.")).toBeVisible();
}

test("a dropped file tells what starts from it, who signed it, what it holds and drives", async ({ page }) => {
  await look(page, IMAGES.lantern12.make(w));
  await expect(page.getByText("/EFI/BOOT/BOOTX64.EFI").first()).toBeVisible();
  await tab(page, "Signed by");
  await expect(page.getByText("Signed by Norlight Third Party Signer 2011")).toBeVisible();
  await expect(page.getByText("Signed by Norlight Third Party Signer 2023")).toBeVisible();
  await tab(page, "Contents");
  await expect(page.getByText("Gannet Desk 11.4 Kiosk, 11.4.31140.318, edition Kiosk")).toBeVisible();
  await tab(page, "Drivers");
  await page.getByLabel(/^Devices/).fill("8086:9a0b 8086:ffff");
  await expect(page.getByRole("row", { name: /8086:9a0b NLSTOR\.INF/ })).toBeVisible();
  await expect(page.getByRole("row", { name: /8086:ffff no driver for this device/ })).toBeVisible();
  // The address holds what is shown; going back shows what was shown before.
  await expect(page).toHaveURL(/show=drives/);
});

test("space inside: a folder is opened and a file is taken out as it is", async ({ page }) => {
  const image = IMAGES.bollard5.make(w);
  await look(page, image);
  await tab(page, "Files");
  await page.getByRole("button", { name: "the disc (ISO 9660)" }).click();
  await page.getByRole("button", { name: "live", exact: true }).click();
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Save filesystem.squashfs" }).click(),
  ]);
  expect(download.suggestedFilename()).toBe("filesystem.squashfs");
  const taken = readFileSync(await download.path());
  expect(taken.equals(readFileSync(w.path("Bollard.squashfs")))).toBe(true);

  // It holds files itself: those are opened and taken out too. Reference: what unsquashfs takes out of it.
  await page.getByRole("button", { name: "filesystem.squashfs", exact: true }).click();
  const inside = page.getByRole("region", { name: "Inside /live/filesystem.squashfs" });
  await inside.getByRole("button", { name: "etc", exact: true }).click();
  const [inner] = await Promise.all([
    page.waitForEvent("download"),
    inside.getByRole("button", { name: "Save os-release" }).click(),
  ]);
  run("unsquashfs", ["-quiet", "-no-progress", "-d", w.path("unpacked"), w.path("Bollard.squashfs")]);
  expect(readFileSync(await inner.path())).toEqual(readFileSync(join(w.path("unpacked"), "etc", "os-release")));
  await inside.getByRole("button", { name: "Back to the disc (ISO 9660)" }).click();
  await expect(page.getByRole("button", { name: "Save filesystem.squashfs" })).toBeVisible();
});

test("is it whole? Against published sums, of this file and of another", async ({ page }) => {
  const image = IMAGES.bollard5.make(w);
  await look(page, image);
  await tab(page, "Integrity");
  run("sh", [
    "-c",
    'cd "$1" && sha512sum --tag bollard-5.0.iso > SUMS && sha256sum bollard-5.0.iso | tr a-f 0 > WRONG && echo none > OTHER',
    "sh",
    folder,
  ]);
  const drop = (name: string) =>
    page.locator('input[type="file"]:not([webkitdirectory])').last().setInputFiles(join(folder, name));
  await drop("SUMS");
  await expect(page.getByText("Its SHA512 matches the published one: the file is intact.")).toBeVisible();
  await drop("WRONG");
  await expect(page.getByText(/^Its SHA256 does not match the published one/)).toBeVisible();
  await drop("OTHER");
  await expect(page.getByText("No line of OTHER names bollard-5.0.iso")).toBeVisible();
  await page.getByRole("button", { name: "Verify with own checksums" }).click();
  await expect(page.getByText("No own checksums.")).toBeVisible();

  await look(page, IMAGES.lantern12.make(w));
  await tab(page, "Integrity");
  await page.getByRole("button", { name: "Verify with own checksums" }).click();
  await expect(page.getByText("/SOURCES/INSTALL.WIM: all pieces match its checksums")).toBeVisible();
});

test("a release is born from a file, its manifest kept, a damaged medium found out, and compared with another", async ({
  page,
}) => {
  await look(page, IMAGES.spindle3.make(w));
  await tab(page, "Save as release");
  await page.getByLabel("Kit", { exact: true }).selectOption({ label: "Spindle" });
  await page.getByLabel("Version", { exact: true }).fill("3.1");
  await page.getByLabel("restores images").check();
  await page.getByRole("button", { name: "Add a kit" }).click();
  await page.getByRole("group", { name: "Images it opens" }).getByLabel("Kit").fill("Spindle");
  await page.getByLabel("up to version").fill("3.1");
  await page.getByRole("button", { name: "Save as release" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Spindle 3.1");
  await expect(page.getByText("Restores images of Spindle up to 3.1.")).toBeVisible();
  const about = (name: string) =>
    page.getByRole("navigation", { name: "About this release" }).getByRole("link", { name }).click();
  await about("Files");
  await expect(page.getByText("syslinux.cfg")).toBeVisible();

  await about("Integrity");
  await expect(page.getByText("No manifest yet.")).toBeVisible();
  await choose(page, IMAGES.lantern11.make(w));
  await expect(page.getByText(/Not the file that was read before/)).toBeVisible();
  await choose(page, w.path("spindle-3.0.img"));
  await expect(page.getByText(/A manifest of every file and of every 4 MiB was made/)).toBeVisible();
  const bytes = readFileSync(w.path("spindle-3.0.img"));
  const at = bytes.indexOf("SAY Spindle 3.0");
  bytes[at + 5] = 0x20;
  writeFileSync(join(folder, "worn.img"), bytes);
  await choose(page, join(folder, "worn.img"));
  await expect(page.getByText("Damaged: one file differs.")).toBeVisible();
  await expect(page.getByText("/syslinux.cfg has other content")).toBeVisible();

  await openForm(page, "/releases/compare");
  await page.getByLabel("From").selectOption({ label: "Spindle 3.0" });
  await page.getByLabel("to", { exact: true }).selectOption({ label: "Spindle 3.1" });
  await page.getByRole("button", { name: "Compare" }).click();
  await expect(page.getByText("No file added or removed.")).toBeVisible();
  await expect(page.getByText("Same programs and signers.")).toBeVisible();
});

test("a release that takes another's place is shown with it; a circle of them is refused", async ({ page }) => {
  await page.goto("/kits");
  await page.getByRole("link", { name: /^4\.1/ }).click();
  await expect(page.getByText(/^Superseded by/)).toBeVisible();
  await page.getByRole("link", { name: "Bollard 5.0", exact: true }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Bollard 5.0");
  await page.getByRole("link", { name: "Edit" }).click();
  await page.getByLabel("Superseded by").waitFor();
  await listening(page);
  await page.getByLabel("Superseded by").selectOption({ label: "Bollard 4.1" });
  await page.getByRole("button", { name: "Save release" }).click();
  await expect(page.getByText(/cannot supersede itself/)).toBeVisible();
});

test("whether a release drives a computer, device by device", async ({ page }) => {
  await page.goto("/kits");
  await page.getByRole("link", { name: /^4\.1/ }).click();
  await page.getByRole("navigation", { name: "About this release" }).getByRole("link", { name: "Drivers" }).click();
  await page.getByLabel(/^Check drivers for computer/).fill("HO-004");
  await page.getByRole("button", { name: "Check drivers" }).click();
  await expect(page.getByText(/No driver for 2 devices of 3 recorded devices of HO-004/)).toBeVisible();
  await page.getByLabel(/^Check drivers for computer/).fill("NOT-THERE");
  await page.getByRole("button", { name: "Check drivers" }).click();
  await expect(page.getByText("There is no computer NOT-THERE.")).toBeVisible();
});

test("addresses that were kept or printed before still lead there", async ({ page }) => {
  await page.goto("/sheets/HO-007/LN-01");
  await expect(page).toHaveURL(/\/run-sheets\/HO-007\/LN-01$/);
  await page.goto("/models?make=Ostrel&model=Block+1");
  await expect(page).toHaveURL(/\/boot-keys\?make=Ostrel&model=Block(\+|%20)1$/);
  await page.goto("/kits");
  await page.getByRole("link", { name: /^4\.1/ }).click();
  await expect(page).toHaveURL(/\/releases\/\d+$/);
  const address = page.url();
  await page.goto(address.replace("/releases/", "/kits/"));
  await expect(page).toHaveURL(address);
});
