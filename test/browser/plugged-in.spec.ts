import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { IMAGES } from "../../scripts/demo/images";
import { run, Workshop } from "../../scripts/media/workshop";
import { choose, openForm } from "./helpers";

const folder = mkdtempSync(join(tmpdir(), "creel-browser-plugged-"));
const w = new Workshop(folder);
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** The files of a stick's first partition, in a folder, as a computer shows them once it is plugged in. */
function plugged(name: string): string {
  const image = IMAGES.lantern12.make(w);
  const drive = join(folder, name);
  mkdirSync(drive);
  // Where the partition begins: sgdisk, in sectors of 512 bytes.
  const first = Number(/First sector: (\d+)/.exec(run("sgdisk", ["-i", "1", image]))?.[1]);
  run("mcopy", ["-s", "-i", `${image}@@${first * 512}`, "::/", drive]);
  return drive;
}

const chooseDrive = (page: Page, drive: string) => page.getByLabel("Choose a drive or folder").setInputFiles(drive);

test("a plugged-in stick is read as a folder, recognised, and registered; what a folder does not show is unknown", async ({
  page,
}) => {
  const drive = plugged("KIT");
  await openForm(page, "/media/new");
  await chooseDrive(page, drive);
  const recognised = page.getByRole("region", { name: "Recognised" });
  await expect(recognised).toContainText("Lantern 12:");
  await recognised
    .getByRole("listitem")
    .filter({ hasText: "Lantern 12:" })
    .first()
    .getByRole("button", { name: "Mark Lantern 12 as carried" })
    .click();
  await page.getByLabel("Tag", { exact: true }).fill("PLUG-1");
  await page.getByRole("button", { name: "Register medium" }).click();
  await expect(page.getByRole("heading", { name: "PLUG-1" })).toBeVisible();
  await expect(page.getByText(/Read as a folder/).first()).toBeVisible();
});

test("its files are looked through and taken out; a damaged one is found by the manifest", async ({ page }) => {
  const drive = plugged("KIT2");
  await openForm(page, "/look");
  await chooseDrive(page, drive);
  await expect(page.getByText("Fully read.")).toBeVisible();
  const parts = page.getByRole("navigation", { name: "What was read" });
  await expect(parts.getByRole("link", { name: "Integrity" })).toHaveCount(0);
  await parts.getByRole("link", { name: "Signed by" }).click();
  await expect(page.getByText("Signed by Norlight Third Party Signer 2023").first()).toBeVisible();
  await parts.getByRole("link", { name: "Files" }).click();
  await page.getByRole("button", { name: "EFI", exact: true }).click();
  await page.getByRole("button", { name: "BOOT", exact: true }).click();
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "Save BOOTX64.EFI" }).click(),
  ]);
  const own = join(drive, "EFI", "BOOT", "BOOTX64.EFI");
  expect(readFileSync(await download.path())).toEqual(readFileSync(own));

  // The manifest of its release is kept; then one byte of the stick is another.
  await openForm(page, "/look");
  await choose(page, IMAGES.lantern12.make(w));
  await expect(page.getByText("Fully read.")).toBeVisible();
  await parts.getByRole("link", { name: "Save as release" }).click();
  await page.getByLabel("Kit", { exact: true }).selectOption({ label: "Lantern" });
  await page.getByLabel("Version", { exact: true }).fill("12.9");
  await page.getByRole("button", { name: "Save as release" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Lantern 12.9");
  await page.getByRole("navigation", { name: "About this release" }).getByRole("link", { name: "Integrity" }).click();
  await choose(page, IMAGES.lantern12.make(w));
  await expect(page.getByText(/A manifest of every file and of every 4 MiB was made/)).toBeVisible();
  const bytes = readFileSync(own);
  bytes[bytes.length - 9] = (bytes[bytes.length - 9] ?? 0) ^ 1;
  writeFileSync(own, bytes);
  const recognised = page.getByRole("region", { name: "Recognised" });
  const release = recognised.getByRole("listitem").filter({ hasText: "Lantern 12.9" });
  await openForm(page, "/look");
  await chooseDrive(page, drive);
  await release.getByRole("button", { name: "Verify against manifest" }).click();
  await expect(recognised.getByText(/BOOTX64\.EFI.*content/)).toBeVisible();
});
