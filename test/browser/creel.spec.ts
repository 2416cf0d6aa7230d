import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { expect, type Page, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
import { IMAGES } from "../../scripts/demo/images";
import { Workshop } from "../../scripts/media/workshop";
import { choose, openForm, signedInAs } from "./helpers";

const folder = mkdtempSync(join(tmpdir(), "creel-browser-"));
const w = new Workshop(folder);
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

const facts = (tag: string, arch: string) => ({
  schema: "creel.facts/1",
  computer: { tag, make: "Ostrel", model: "Block 9", serial: `SER-${tag}`, form: "desktop" },
  firmware: {
    kind: "uefi",
    arch,
    legacyMode: "absent",
    secureBoot: { state: "off" },
    keys: { setup: "F2", startMenu: "F9" },
  },
  disks: [{ name: "nvme0n1", bytes: 1_000_204_886_016, bus: "nvme", partitions: [] }],
});

function factsFile(tag: string, arch = "x64"): string {
  const path = join(folder, `${tag}.json`);
  writeFileSync(path, JSON.stringify(facts(tag, arch)));
  return path;
}

test("the first page says what breaks first, and which computers have no route that is sure, and why", async ({
  page,
}) => {
  await page.goto("/");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(
    // Which of the two depends on the day: what is recorded has fixed ones.
    /(have no confirmed route\.|before \d+ \w+ \d+: .+ (loses its|lose their) last qualifying route\.)$/,
  );
  await expect(page.getByText("2 computers, Starts unknown with UEFI, 64-bit ARM (aa64).")).toBeVisible();
  await page.getByRole("link", { name: "NP-T1" }).click();
  await expect(page.getByText(/^No confirmed route for NP-T1\./)).toBeVisible();
});

test("a count on the first page leads to just those computers, each with its chain", async ({ page }) => {
  await page.goto("/");
  const row = page.getByRole("row", { name: /^Head office/ });
  const link = row.getByRole("link").nth(1);
  const count = Number(await link.textContent());
  expect(count).toBeGreaterThan(0);
  await link.click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(count === 1 ? "1 computer" : `${count} computers`);
  await expect(page.getByRole("img", { name: /^At hand holds, Starts holds, .*Proven holds$/ })).toHaveCount(count);
});

test("from a facts file and an ISO to a run sheet", async ({ page }) => {
  await openForm(page, "/computers/facts");
  await choose(page, factsFile("ZZ-100", "ia32"));
  await page.getByRole("button", { name: "Add ZZ-100" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZZ-100");
  await expect(page.getByText("SER-ZZ-100", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Actions" }).click();
  await page.getByText("Move", { exact: true }).click();
  await page.getByLabel("To", { exact: true }).selectOption({ label: "Workshop" });
  await page.getByRole("button", { name: "Move computer" }).click();
  await expect(page.getByText(/^Workshop · Ostrel Block 9/)).toBeVisible();
  await page.getByRole("navigation", { name: "About this computer" }).getByRole("link", { name: "Routes" }).click();
  await expect(page.getByText(/(recovers|route for) ZZ-100/)).toBeVisible();

  await openForm(page, "/media/new");
  await choose(page, IMAGES.bollard5.make(w));
  await expect(page.getByText("Disc image (ISO 9660)")).toBeVisible();
  await expect(page.getByText("/EFI/BOOT/BOOTIA32.EFI").first()).toBeVisible();
  await page.getByRole("button", { name: "Compute checksum (SHA-256)" }).click();
  await expect(page.getByText(/SHA-256 [0-9a-f]{64}/)).toBeVisible();
  await page.getByLabel("Tag", { exact: true }).fill("ZZ-M1");
  await page.getByLabel("Site", { exact: true }).selectOption({ label: "Workshop" });
  await page.getByLabel("Bollard 5.0", { exact: true }).check();
  await page.getByRole("button", { name: "Register medium" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZZ-M1");
  await page.getByText(/^Unknown \d+$/).click();
  await expect(page.getByRole("link", { name: "ZZ-100" })).toBeVisible();

  await page.goto("/run-sheets/ZZ-100/ZZ-M1");
  await expect(page.getByText("press F9 for the boot menu")).toBeVisible();
  await expect(page.getByText(/nvme0n1, 1 TB \(shows as 932 GiB\)/)).toBeVisible();
  await page.emulateMedia({ media: "print" });
  await expect(page.getByRole("navigation", { name: "Stations" })).toBeHidden();
  await expect(page.getByRole("button", { name: "Print this sheet" })).toBeHidden();
});

test("a digest shows its progress and can be cancelled; the medium can be registered without it", async ({ page }) => {
  const large = w.blank("large.img", 6000);
  await openForm(page, "/media/new");
  await choose(page, large);
  await expect(page.getByText("Not recognised: no partition table")).toBeVisible();
  await page.getByRole("button", { name: "Compute checksum (SHA-256)" }).click();
  await expect(page.getByText(/of 6\.29 GB, .*\/s, \d+ (s|min) left/)).toBeVisible();
  await page.getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByText("Cancelled. Nothing saved.")).toBeVisible();
  await page.getByLabel("Tag", { exact: true }).fill("ZZ-BLANK");
  await page.getByRole("button", { name: "Register medium" }).click();
  await expect(
    page
      .getByText("ZZ-BLANK is no route for any computer.")
      .or(page.getByText(/^ZZ-BLANK is not a confirmed route for any computer/)),
  ).toBeVisible();
  await page.getByRole("button", { name: "Retire" }).click();
  await expect(page.getByRole("button", { name: "Return to service" })).toBeVisible();
});

test("a run sheet is one page of A4", async ({ page }) => {
  await page.goto("/run-sheets/HO-007/LN-01");
  const pdf = await page.pdf({ preferCSSPageSize: true });
  expect(pdf.toString("latin1").match(/\/Type\s*\/Page\b/g)).toHaveLength(1);
});

test("two people edit one computer: the later one is told, keeps her entries, and loses nothing of his", async ({
  page,
  browser,
}) => {
  await openForm(page, "/computers/HO-005/edit");
  await page.getByLabel("Note", { exact: true }).fill("Hinge is loose");
  const other = await signedInAs(browser, page.url(), "col");
  const hisPage = await other.newPage();
  await openForm(hisPage, page.url());
  await hisPage.getByLabel("Boot menu key", { exact: true }).fill("F10");
  await hisPage.getByRole("button", { name: "Save", exact: true }).click();
  await expect(hisPage.getByRole("heading", { level: 1 })).toContainText("HO-005 Crewing");

  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText(
    "Somebody changed this while you were editing: Col Marrick changed firmware",
  );
  await expect(page.getByLabel("Note", { exact: true })).toHaveValue("Hinge is loose");
  await expect(page.getByLabel("Boot menu key", { exact: true })).toHaveValue("F10");
  await page.getByRole("button", { name: "Save again" }).click();
  await page.waitForURL(/\/computers\/HO-005$/);
  await page.goto("/computers/HO-005?show=facts");
  await expect(page.getByText("Hinge is loose", { exact: true })).toBeVisible();
  await expect(page.getByText("F10", { exact: true })).toBeVisible();
  await other.close();
});

test("a computer typed by hand, with a place, a kit and a release added on the way", async ({ page }) => {
  await openForm(page, "/sites");
  await page.getByLabel("Name", { exact: true }).fill("Slipway store");
  await page.getByRole("button", { name: "Add site" }).click();
  await expect(page.getByText("Slipway store")).toBeVisible();
  await page.getByLabel("Name", { exact: true }).fill("Slipway store");
  await page.getByRole("button", { name: "Add site" }).click();
  await expect(page.getByText("The name Slipway store is already used")).toBeVisible();

  await openForm(page, "/kits");
  await page.getByLabel("Name", { exact: true }).fill("Halyard");
  await page.getByRole("button", { name: "Add a kit" }).click();
  await expect(page.getByRole("heading", { name: "Halyard" })).toBeVisible();
  await page.getByText("Add a release without a file").click();
  await page.getByLabel("Kit", { exact: true }).selectOption({ label: "Halyard" });
  await page.getByLabel("Version", { exact: true }).fill("0.9");
  await page.getByLabel("rescues files").check();
  await page.getByRole("button", { name: "Save as release" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Halyard 0.9");
  await expect(page.getByText("Rescues files.")).toBeVisible();
  await expect(page.getByText("Not read yet: contents unknown")).toBeVisible();

  await openForm(page, "/computers/new");
  await page.getByLabel("Tag", { exact: true }).fill("ZZ-200");
  await page.getByLabel("Site", { exact: true }).selectOption({ label: "Slipway store" });
  await page.getByLabel("Firmware", { exact: true }).selectOption("bios");
  await page.getByRole("button", { name: "Add a disk" }).click();
  await page.getByLabel("Name", { exact: true }).last().fill("sda");
  await page.getByLabel("Size (GB, as sold)").fill("40");
  await page.getByRole("button", { name: "Add computer" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZZ-200");
  await expect(page.getByText(/(recovers|route for) ZZ-200/)).toBeVisible();
  await page.goto("/computers/ZZ-200?show=disks");
  await expect(page.getByRole("heading", { name: "sda 40 GB" })).toBeVisible();
  await page.getByRole("button", { name: "Actions" }).click();
  await page.getByText("Retire", { exact: true }).click();
  await page.getByRole("button", { name: "Retire computer" }).click();
  await expect(page.getByText(/· retired$/)).toBeVisible();
  await page.goto("/computers/ZZ-200?show=history");
  await expect(page.getByText("Ina Torvald retired it")).toBeVisible();
});

test("bad input gets a sentence, and nothing is lost", async ({ page }) => {
  await openForm(page, "/computers/facts");
  await choose(page, w.text("list.json", "{ not json"));
  await expect(page.getByText(/Starts as JSON but is not valid/)).toBeVisible();
  await openForm(page, "/computers/new");
  await page.getByLabel("Tag", { exact: true }).fill("HO-001");
  await page.getByLabel("Name", { exact: true }).fill("Second reception");
  await page.getByRole("button", { name: "Add computer" }).click();
  await expect(page.getByText("The tag HO-001 is already used: choose another.")).toBeVisible();
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("Second reception");
  await openForm(page, "/media/new");
  await choose(page, w.text("notes.iso", "no disc at all\n".repeat(900)));
  await expect(page.getByText("Not recognised: no partition table")).toBeVisible();
});

test("keys: the one field, the list, the stations, the sheet of keys", async ({ page }) => {
  await openForm(page, "/");
  await page.keyboard.press("/");
  await page.keyboard.type("fu-e1");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/computers\/FU-E1$/);
  await page.keyboard.press("Escape");
  await page.locator("body").press("m");
  await expect(page).toHaveURL(/\/media$/);
  await page.getByRole("link", { name: /^FI-01/ }).waitFor();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/media\/LN-01$/);
  await page.keyboard.press("?");
  await expect(page.getByRole("heading", { name: "Keys" })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await page.goto("/find?q=nothing-like-this");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("No match for “nothing-like-this”.");
});

test("the address holds a list's state, and back works", async ({ page }) => {
  await openForm(page, "/computers");
  await page.getByRole("button", { name: "Add filter" }).click();
  await page.getByRole("button", { name: "Site", exact: true }).click();
  await page.getByLabel("Site", { exact: true }).selectOption({ label: "Sandsay" });
  await expect(page).toHaveURL(/site=\d+/);
  await expect(page.getByRole("heading", { name: "4 computers" })).toBeVisible();
  await page.getByLabel("Tag, name, serial, model").fill("kiosk");
  await expect(page.getByRole("heading", { name: "1 computer" })).toBeVisible();
  await page.getByRole("link", { name: "SA-K1" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("SA-K1");
  await expect(page.getByRole("heading", { name: "1 computer" })).toBeVisible();
  await page.goBack();
  await expect(page).toHaveURL(/\/computers\?.*q=kiosk/);
  // What is in use is a chip, and is taken away by one click.
  await page.getByRole("button", { name: "Remove filter Site" }).click();
  await expect(page).not.toHaveURL(/site=/);
});

/** Pages by name, each looked at once; of things that only have numbers, the first that another page leads to. */
const PAGES: Record<string, string | { on: string; to: RegExp; show?: string; at?: string }> = {
  today: "/",
  account: "/account",
  people: "/people",
  tokens: "/tokens",
  audit: "/audit",
  library: "/library",
  "sign in": "/sign-in",
  computers: "/computers",
  computer: "/computers/NP-K1",
  facts: "/computers/HO-002?show=facts",
  disks: "/computers/HO-003?show=disks",
  needs: "/computers/HO-002?show=needs",
  history: "/computers/HO-002?show=history",
  "take in": "/computers/facts",
  tables: "/computers/import",
  "key cards": "/boot-keys?make=Ostrel&model=Block+1",
  systems: "/operating-systems",
  edit: "/computers/NP-K1/edit",
  collect: "/computers/collect",
  arrivals: "/computers/arrivals",
  medium: "/media/SP-01",
  register: "/media/new",
  sheet: "/run-sheets/HO-007/LN-01",
  kits: "/kits",
  chains: "/chains?computer=HO-002&medium=SP-01",
  "what if": "/chains/rehearsals",
  signers: "/chains/signers",
  "a drill": "/drills/new?medium=RM-01&computer=HO-001",
  look: "/look",
  compare: "/releases/compare",
  release: { on: "/kits", to: /^\/releases\/\d+$/, show: "?show=signed" },
  "release's files": { on: "/kits", to: /^\/releases\/\d+$/, show: "?show=inside" },
  places: "/sites",
  shelf: { on: "/sites", to: /^\/sites\/\d+$/ },
  bench: "/bench",
  devices: "/bench/devices",
  "a medium: for whom": "/bench/make",
  "a medium: what": "/bench/make?tags=HO-001+FU-E1",
  "a medium: where": { on: "/kits", to: /^\/releases\/\d+$/, at: "/bench/make?any=1&way=laid-out&release=" },
  "a medium: check": {
    on: "/kits",
    to: /^\/releases\/\d+$/,
    at: "/bench/make?any=1&way=disc&tag=ZX-1&berth=file&release=",
  },
  "a store to make": { on: "/bench", to: /^\/bench\/make\?berth=\d+$/, at: "/bench/store/", show: "?name=Vault" },
  images: "/images",
  image: { on: "/images", to: /^\/images\/\d+$/ },
  "images that are due": "/images/due",
  "what may go": "/images/what-goes",
  "before an image": "/images/take?computer=HO-001",
  "register an image": "/images/new?computer=HO-001",
  stores: "/stores",
  store: { on: "/stores", to: /^\/stores\/\d+$/ },
  "register a store": "/stores/new",
  "call-outs": "/callouts",
  "ways to bring it back": { on: "/callouts", to: /^\/callouts\/\d+$/ },
  upkeep: "/upkeep",
  cover: "/cover?site=North+Pier",
  "a plan of cover": "/cover/plans/new",
  "policy and ways": "/policy",
  ahead: `/upkeep/ahead?day=${dated("2027-06-01")}`,
  visit: "/upkeep/visits?site=Workshop",
  told: "/upkeep/mail",
  "what a computer must have": "/computers/HO-SRV1?show=policy",
  nothing: "/computers/NOT-THERE",
};

test.describe("accessible, light and dark", () => {
  // One page is gone on with: it has the application's scripts already.
  let page: Page;
  test.beforeAll(async ({ browser, baseURL }) => {
    const context = await signedInAs(browser, baseURL, "runa");
    page = await context.newPage();
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.context().addCookies([{ name: "creel-form", value: "light", url: baseURL ?? "" }]);
  });
  test.afterAll(() => page.context().close());

  for (const [name, path] of Object.entries(PAGES)) {
    // WCAG 2.2 AA by axe-core. The dark form has other colours and nothing else.
    test(name, async () => {
      await page.goto(await addressOf(page, path));
      await page.getByRole("main").getByRole("heading").first().waitFor();
      const inLight = axe(page).withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]);
      expect(await violationsOf(inLight)).toEqual([]);
      await page.evaluate(() => {
        document.documentElement.dataset.form = "dark";
      });
      const inDark = axe(page).withRules(["color-contrast", "link-in-text-block"]);
      expect(await violationsOf(inDark)).toEqual([]);
      // Nothing is cut off on a phone or a tablet: what is wider scrolls in its own box.
      for (const width of [390, 768]) {
        await page.setViewportSize({ width, height: 844 });
        // A chart is drawn anew a moment after its page has become narrower.
        await expect.poll(() => page.evaluate(() => document.documentElement.scrollWidth)).toBe(width);
      }
      await page.setViewportSize({ width: 1280, height: 800 });
    });
  }
});

async function addressOf(page: Page, place: (typeof PAGES)[string]): Promise<string> {
  if (typeof place === "string") return place;
  await page.goto(place.on);
  const main = page.getByRole("main");
  await main.getByRole("heading").first().waitFor();
  const links = await main.getByRole("link").evaluateAll((all) => all.map((link) => link.getAttribute("href") ?? ""));
  const found = links.find((href) => place.to.test(href));
  expect(found).toBeDefined();
  // Some pages have the number of another one's in their address.
  const number = /\d+$/.exec(found ?? "")?.[0] ?? "";
  return place.at ? `${place.at}${number}${place.show ?? ""}` : `${found}${place.show ?? ""}`;
}

/**
 * What passes is told by its first place only: telling all of them takes half a minute for the matrix. There are no
 * frames, so that what was found is put together where it was found.
 */
function axe(page: Page): AxeBuilder {
  return new AxeBuilder({ page }).options({ resultTypes: ["violations"] }).setLegacyMode();
}

/** What axe-core finds wrong, each with the first places; nothing was looked at where no rule applied. */
async function violationsOf(axe: AxeBuilder): Promise<string[]> {
  const { violations, passes } = await axe.analyze();
  expect(passes.length).toBeGreaterThan(0);
  return violations.map(({ id, nodes }) => {
    const places = nodes.slice(0, 3).map((node) => node.html);
    return `${id}: ${places.join(" | ")}`;
  });
}
