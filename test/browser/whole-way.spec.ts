import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
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
  await page.getByRole("button", { name: "Actions" }).click();
  await page.getByText("Move", { exact: true }).click();
  await page.getByLabel("To", { exact: true }).selectOption({ label: "Workshop" });
  await page.getByRole("button", { name: "Move computer" }).click();
  await expect(page.getByText(/^Workshop · Ostrel Block 9/)).toBeVisible();
}

async function registerMedium(page: Page, tag: string): Promise<void> {
  await openForm(page, "/media/new");
  await choose(page, IMAGES.spindle3.make(w));
  await page.getByLabel("Tag", { exact: true }).fill(tag);
  await page.getByLabel("Site", { exact: true }).selectOption({ label: "Workshop" });
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
  writeFileSync(
    listing,
    dated(`path,bytes,modified\n"${tag} 2026-11-20 clean.img.gz",23000000000,2026-11-20T10:00:00Z\n`),
  );
  await choose(page, listing);
  const found = page.getByRole("listitem").filter({ hasText: dated(`${tag} 2026-11-20 clean`) });
  await found.getByRole("link", { name: "Register image" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Register an image");
  await listening(page);
  await expect(page.getByLabel("Computer", { exact: true })).toHaveValue(tag);
  await page.getByLabel("Kit", { exact: true }).fill("Spindle");
  await page.getByLabel("Kit version").fill("3.0");
  await page.getByLabel("Firmware mode").selectOption("bios");
  await page.getByLabel("Source disk").fill("500 GB");
  await page.getByLabel("Sectors").selectOption("512");
  await page.getByLabel("In use").fill("41 GB");
  await page.getByLabel("Encrypted", { exact: true }).selectOption("no");
  await page.getByLabel("Verified on").fill(dated("2026-11-21"));
  await page.getByRole("button", { name: "Add a partition" }).click();
  await page.getByLabel("Role of partition 1").selectOption("system");
  await page.getByLabel("active").check();
  await page.getByRole("button", { name: "Register image" }).click();
  await expect(page.getByText("1 system, active")).toBeVisible();
}

// Of two media that are alike the first by name comes first: the later one of each is what its own way begins with.
const TAGS = { quiet: ["ZW-1", "ZW-M2"], cut: ["ZW-2", "ZW-M1"] } as const;

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
    await page.getByLabel("Computer", { exact: true }).fill(tag);
    await page.getByLabel("What happened").selectOption({ label: "its disk is gone" });
    await page.getByRole("button", { name: "Open call-out" }).click();
    const way = page.getByRole("region", { name: "Best route" });
    await expect(way.getByRole("heading")).toHaveText(dated(`image restored, ${tag} 2026-11-20 clean`));
    await expect(way).toContainText(`with ${medium}`);
    await listening(page);
    await way.getByRole("button", { name: "Use this route" }).click();
    await expect(page.getByRole("heading", { name: "Run sheet" })).toBeVisible();
    await listening(page);

    const done = page.getByRole("button", { name: "Done", exact: true });
    const total = await done.count();
    expect(total).toBeGreaterThan(10);
    for (let left = total; left > 0; left--) {
      if (how === "cut" && left === total - 2) {
        // What is still on its way when the connection goes waits too: only then is the number known.
        await expect(page.getByText("All ticks saved.")).toBeVisible();
        await context.setOffline(true);
      }
      if (how === "cut" && left === total - 7) {
        await expect(page.getByText(/^No connection: 5 ticks are saved on this device/)).toBeVisible();
        await context.setOffline(false);
      }
      await done.first().click();
      await expect(done).toHaveCount(left - 1);
    }
    await expect(page.getByText("All ticks saved.")).toBeVisible();
    const marks = await page.request.get(page.url().replace("/callouts/", "/api/callouts/").concat("/marks"));
    expect(await marks.json()).toHaveLength(total);

    await page.getByLabel("Outcome").selectOption({ label: "image restored" });
    await page.getByLabel(`${medium} worked`).selectOption({ label: "Yes" });
    await page.getByRole("button", { name: "Hand back and close" }).click();
    await expect(page.getByText(/^recovered: image restored/)).toBeVisible();
    await page.goto(`/media/${medium}`);
    await expect(page.getByRole("listitem").filter({ hasText: `started, image restored on ${tag}` })).toBeVisible();
  });
