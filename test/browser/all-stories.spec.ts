import { expect, type Page, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
import { dayText } from "../../src/core/words/dates";

// Each story of docs/demo.md is where it says, in the words that a technician reads. Runs before what changes the demo.

/** What the chain of a medium on a computer says. */
async function chain(page: Page, medium: string, computer: string) {
  await page.goto(`/chains?computer=${computer}&medium=${medium}`);
  return page.getByRole("region", { name: `${medium} on ${computer}` });
}

const CHAINS: [story: string, medium: string, computer: string, says: RegExp][] = [
  ["only a drill on this very computer counts", "RM-01", "HO-002", /policy requires a drill on this computer/],
  ["its drill failed here", "LN-01", "HO-003", /[Ff]ailed/],
  ["its firmware was updated after the last drill", "RM-01", "HO-004", /with firmware 2\.14; now it is/],
  ["its Secure Boot lists were never collected", "RM-01", "HO-006", /certificates and hashes its Secure Boot allows/],
  ["a controller that no release drives", "SP-01", "HO-SRV2", /no driver/i],
  [
    "nothing has a loader for 64-bit ARM",
    "RM-01",
    "NP-T1",
    /64-bit ARM \(aa64\) and looks for \/EFI\/BOOT\/BOOTAA64\.EFI/,
  ],
  ["nobody recorded whether Secure Boot is on", "RM-07", "PE-C1", /Not recorded: whether Secure Boot is on/],
  ["32-bit firmware starts what has a loader for it", "RM-01", "NP-K1", /32-bit \(ia32\) UEFI firmware finds/],
  ["start from USB is off", "RM-01", "NP-003", /Switch start from USB on|USB/],
  ["legacy mode starts media as BIOS does", "RM-08", "SA-002", /Legacy mode: starts media as BIOS does/],
];
for (const [story, medium, computer, says] of CHAINS)
  test(`${computer}: ${story}`, async ({ page }) => {
    await expect((await chain(page, medium, computer)).getByText(says).first()).toBeVisible();
  });

test("most of the fleet is in order, and where it is not is told", async ({ page }) => {
  await page.goto("/cover");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("9 computers of 31 miss their policy.");
  await expect(page.getByRole("row", { name: /^MV Fulmar/ })).toBeVisible();
});

test("HO-002 is down, and Today says so before anything else", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByText("Down now")).toBeVisible();
  await expect(page.getByText(/^HO-002.*Accounts 1: it does not start/)).toBeVisible();
  await page.goto("/computers/HO-002");
  await page.getByRole("link", { name: "Open its call-out" }).click();
  await expect(page.getByRole("region", { name: "Best route" })).toBeVisible();
});

test("FU-X1: nobody collected its facts, and what to do about it stands there", async ({ page }) => {
  await page.goto("/computers/FU-X1");
  await expect(page.getByText(/Not recorded: whether its firmware is BIOS or UEFI/).first()).toBeVisible();
  const prompts = page.getByRole("region", { name: "While it runs well" });
  await expect(prompts.getByText("No image recorded.")).toBeVisible();
  await expect(prompts.getByRole("link", { name: "Make a medium" })).toBeVisible();
});

test("NP-001: the lineage of its image has a gap", async ({ page }) => {
  await page.goto("/images?q=NP-001");
  await expect(page.getByText(/increment builds on an image that is not recorded\./)).toBeVisible();
});

test("WS-002: its image is on its own disk and is lost with it", async ({ page }) => {
  await page.goto("/images?q=WS-002");
  await page
    .getByRole("link", { name: /WS-002 / })
    .first()
    .click();
  await expect(page.getByText(/lost with/).first()).toBeVisible();
});

test("RM-03 is damaged; SP-02 is lent and overdue", async ({ page }) => {
  await page.goto("/media/RM-03");
  await expect(page.getByText(/found damaged/).first()).toBeVisible();
  await page.goto("/media/SP-02");
  await expect(page.getByText(/· with Col Marrick, overdue/)).toBeVisible();
  await expect(page.getByText(`to now, due ${dayText(dated("2026-11-09"))}, overdue`)).toBeVisible();
});

test("the share is nearly full, and the day on which it will be is told", async ({ page }) => {
  await page.goto("/upkeep?kind=store");
  await expect(page.getByText("Make room in Image share")).toBeVisible();
  await expect(page.getByText(/ free\. At the current rate it is full about /)).toBeVisible();
  await page.getByRole("link", { name: "Show store" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/Image share/);
  await expect(page.getByText(/full about/i).first()).toBeVisible();
});

test("two years of history by several people", async ({ page }) => {
  await page.goto("/computers/HO-001?show=history");
  await expect(page.getByText(dayText(dated("2024-12-04")))).toBeVisible();
  // In order, and asked for before it is not.
  await page.goto("/");
  await expect(page.getByText(/Take an image of HO-SRV1/).first()).toBeVisible();
  await page.goto("/upkeep/ahead");
  const heading = page.getByRole("heading", { level: 1 });
  await expect(heading).toHaveText(
    /^If nothing is done, \d+ of \d+ computers meet their policy in a year; now \d+ do\./,
  );
});
