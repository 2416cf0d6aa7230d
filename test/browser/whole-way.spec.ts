import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { IMAGES } from "../../scripts/demo/images";
import { Workshop } from "../../scripts/media/workshop";
import { choose, listening, openForm } from "./helpers";

const folder = mkdtempSync(join(tmpdir(), "creel-browser-"));
const w = new Workshop(folder);
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

const facts = (tag: string) => ({
  schema: "creel.facts/1",
  computer: { tag, make: "Ostrel", model: "Block 9", serial: `SER-${tag}`, form: "desktop" },
  firmware: { kind: "bios", legacyMode: "on", usbStart: "on", keys: { setup: "F2", startMenu: "F9", save: "F10" } },
  memoryBytes: 8 * 2 ** 30,
  disks: [
    {
      ...{ name: "sda", bytes: 500_107_862_016, sectorBytes: 512, bus: "sata", table: "mbr", serial: `D-${tag}` },
      partitions: [
        { number: 1, type: "0x07", bytes: 120e9, usedBytes: 41e9, filesystem: "ntfs", role: "system", active: true },
      ],
    },
  ],
  systems: [{ family: "Windows", name: "Norlight", version: "9", arch: "x64", partition: "sda 1" }],
});

async function register(page: Page, tag: string): Promise<void> {
  const file = join(folder, `${tag}.json`);
  writeFileSync(file, JSON.stringify(facts(tag)));
  await openForm(page, "/computers/facts");
  await choose(page, file);
  await page.getByRole("button", { name: `Add ${tag}` }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText(tag);
  await page.getByRole("button", { name: "Acts" }).click();
  await page.getByText("Move", { exact: true }).click();
  await page.getByLabel("To", { exact: true }).selectOption({ label: "Workshop" });
  await page.getByRole("button", { name: "Move it" }).click();
  await expect(page.getByText(/^Workshop · Ostrel Block 9/)).toBeVisible();
}

async function registerMedium(page: Page, tag: string): Promise<void> {
  await openForm(page, "/media/new");
  await choose(page, IMAGES.spindle3.make(w));
  await page.getByLabel("Tag", { exact: true }).fill(tag);
  await page.getByLabel("Place", { exact: true }).selectOption({ label: "Workshop" });
  await page.getByLabel("Spindle 3.0", { exact: true }).check();
  await page.getByRole("button", { name: "Register medium" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText(tag);
}

/** An image lies on the share: its listing is dropped in, and it is registered with what else is known of it. */
async function registerImage(page: Page, tag: string): Promise<void> {
  await page.goto("/stores");
  await page.getByRole("link", { name: "Image share", exact: true }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Image share");
  await listening(page);
  const listing = join(folder, `${tag}.txt`);
  writeFileSync(listing, `path,bytes,modified\n"${tag} 2026-11-20 clean.img.gz",23000000000,2026-11-20T10:00:00Z\n`);
  await choose(page, listing);
  const found = page.getByRole("listitem").filter({ hasText: `${tag} 2026-11-20 clean` });
  await found.getByRole("link", { name: "Register it" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Register an image");
  await listening(page);
  await expect(page.getByLabel("Of the computer")).toHaveValue(tag);
  await page.getByLabel("Made with the kit").fill("Spindle");
  await page.getByLabel("Of the version").fill("3.0");
  await page.getByLabel("The computer started by").selectOption("bios");
  await page.getByLabel("The disk that it is of").fill("500 GB");
  await page.getByLabel("Sectors").selectOption("512");
  await page.getByLabel("In use").fill("41 GB");
  await page.getByLabel("Encrypted", { exact: true }).selectOption("no");
  await page.getByLabel("Verified on").fill("2026-11-21");
  await page.getByRole("button", { name: "Add a partition" }).click();
  await page.getByLabel("Partition 1 is for").selectOption("system");
  await page.getByLabel("active").check();
  await page.getByRole("button", { name: "Register it" }).click();
  await expect(page.getByText("1 system, active")).toBeVisible();
}

const TAGS = { quiet: ["ZW-1", "ZW-M1"], cut: ["ZW-2", "ZW-M2"] } as const;

for (const [how, [tag, medium]] of Object.entries(TAGS))
  test(`from registering a computer, a medium and an image to handing it back: ${how}`, async ({ page, context }) => {
    test.setTimeout(150_000);
    await register(page, tag);
    await registerMedium(page, medium);
    await registerImage(page, tag);

    await page.goto("/");
    await listening(page);
    await page.keyboard.press("o");
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("Call-outs");
    await listening(page);
    await page.getByLabel("Which computer").fill(tag);
    await page.getByLabel("What happened").selectOption({ label: "its disk is gone" });
    await page.getByRole("button", { name: "Open it" }).click();
    await expect(page.getByRole("heading", { name: "Ways to bring it back" })).toBeVisible();
    await listening(page);
    const way = page
      .getByRole("listitem")
      .filter({ hasText: `${tag} 2026-11-20 clean, with ${medium}` })
      .filter({ has: page.getByRole("button", { name: "Take this way" }) })
      .first();
    await way.getByRole("button", { name: "Take this way" }).click();
    await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
    await listening(page);

    const done = page.getByRole("button", { name: "Done", exact: true });
    const total = await done.count();
    expect(total).toBeGreaterThan(10);
    for (let left = total; left > 0; left--) {
      if (how === "cut" && left === total - 2) {
        // What is still on its way when the connection goes waits too: only then is the number known.
        await expect(page.getByText("All that was ticked is kept.")).toBeVisible();
        await context.setOffline(true);
      }
      if (how === "cut" && left === total - 7) {
        await expect(page.getByText(/^No connection: 5 marks are kept here/)).toBeVisible();
        await context.setOffline(false);
      }
      await done.first().click();
      await expect(done).toHaveCount(left - 1);
    }
    await expect(page.getByText("All that was ticked is kept.")).toBeVisible();
    const marks = await page.request.get(page.url().replace("/callouts/", "/api/callouts/").concat("/marks"));
    expect(await marks.json()).toHaveLength(total);

    await page.getByLabel("It came back as").selectOption({ label: "the computer as it was" });
    await page.getByRole("button", { name: "Hand it back" }).click();
    await expect(page.getByText(/^brought back: the computer as it was/)).toBeVisible();
    await page.goto(`/media/${medium}`);
    await expect(
      page.getByRole("listitem").filter({ hasText: `started, and put an image back on ${tag}` }),
    ).toBeVisible();
  });
