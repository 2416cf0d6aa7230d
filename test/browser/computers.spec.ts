import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { dated } from "../../scripts/demo/days";
import { dayText } from "../../src/core/words/dates";
import { choose, listening, openForm, signedInAs } from "./helpers";

const folder = mkdtempSync(join(tmpdir(), "creel-computers-"));
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));
function file(name: string, content: string | Uint8Array): string {
  const path = join(folder, name);
  writeFileSync(path, content);
  return path;
}
const show = (page: Page, view: string) =>
  page.getByRole("navigation", { name: "About this computer" }).getByRole("link", { name: view }).click();

const dmidecode = (version: string, serial: string) =>
  `# dmidecode 3.4\nHandle 0x0000, DMI type 0, 26 bytes\nBIOS Information\n\tVendor: Norlight Firmware\n\tVersion: ${version}\n\nHandle 0x0001, DMI type 1, 27 bytes\nSystem Information\n\tManufacturer: Corvane\n\tProduct Name: Slate 13\n\tSerial Number: ${serial}\n`;
const GLOBAL = "8be4df61-93ca-11d2-aa0d-00e098032b8c";

test("outputs of tools, several at once: what they add, replace and contradict, what it touches, and the act", async ({
  page,
}) => {
  await page.goto("/computers/FU-C1?show=facts");
  const serial = (await page.getByText(/^COR\d+$/).textContent()) as string;
  await openForm(page, "/computers/facts");
  await choose(
    page,
    file("dmi.txt", dmidecode("2.00", serial)),
    file(`SecureBoot-${GLOBAL}`, Uint8Array.from([6, 0, 0, 0, 1])),
    file("typed.json", '{"schema":"creel.facts/1","firmware":{"usbStart":"off"}}'),
    file("odd.txt", "what is this"),
  );
  // Found by its serial: no tag was told.
  await expect(page.getByRole("button", { name: "Import facts for FU-C1" })).toBeVisible();
  await expect(page.getByText("Not recognised.")).toBeVisible();
  await expect(page.getByText(/The firmware was updated from 1\.44 to 2\.00/)).toBeVisible();
  await expect(page.getByText(/Secure Boot was off and is on/)).toBeVisible();
  await expect(page.getByRole("group", { name: "Start from USB" })).toContainText(
    "It was set by hand by Ina Torvald, and stays",
  );
  await expect(page.getByRole("group", { name: "Start from USB" }).getByRole("radio").first()).toBeChecked();
  await page.getByRole("checkbox", { name: "Take Secure Boot" }).uncheck();
  await expect(page.getByText(/Secure Boot was off and is on/)).toHaveCount(0);
  await page.getByRole("button", { name: "Import facts for FU-C1" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("FU-C1 Purser");
  await expect(page.getByText("2.00", { exact: true })).toBeVisible();
  await expect(page.getByText(/from a tool: dmidecode \(dmi\.txt\)/).first()).toBeVisible();
  await show(page, "History");
  await expect(page.getByText(/imported facts of it/)).toBeVisible();
  await expect(page.getByText(/Firmware's version: 1\.44 → 2\.00/)).toBeVisible();
});

test("facts files of two computers that are dropped together stay two", async ({ page }) => {
  await openForm(page, "/computers/facts");
  const files = ["ZF-1", "ZF-2"].map((tag) => ({
    name: `${tag}.json`,
    mimeType: "application/json",
    buffer: Buffer.from(
      JSON.stringify({ schema: "creel.facts/1", computer: { tag, make: "Ostrel", serial: `SER-${tag}` } }),
    ),
  }));
  await page.locator('input[type="file"]:not([webkitdirectory])').setInputFiles(files);
  await expect(page.getByText("2 computers: import them one by one")).toBeVisible();
  await page.getByRole("button", { name: "Add ZF-1" }).click();
  await expect(page.getByText("Imported: ZF-1.")).toBeVisible();
  await page.getByRole("button", { name: "Add ZF-2" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZF-2");
  await expect(page.getByText("SER-ZF-2").first()).toBeVisible();
});

test("an output can be pasted; a new computer is asked for its tag", async ({ page }) => {
  await openForm(page, "/computers/facts");
  await page.getByLabel("Paste an output").fill('NAME="Kittiwake"\nVERSION_ID="9"\nID=kittiwake\n');
  await page.getByRole("button", { name: "Read text" }).click();
  await expect(page.getByText("os-release, an installed system: 3 facts")).toBeVisible();
  await expect(page.getByText("the facts name none: type one")).toBeVisible();
  await page.getByLabel("For the computer with the tag").fill("ZZ-300");
  await page.getByRole("button", { name: "Add ZZ-300" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZZ-300");
  await expect(page.getByText(`Samphire: supported until ${dayText(dated("2027-08-14"))}`)).toBeVisible();
});

test("a recovery key is refused where its place is asked for", async ({ page }) => {
  await openForm(page, "/computers/HO-003?show=disks");
  await page.getByRole("button", { name: "Record location" }).click();
  const place = page.getByLabel(/Location of the recovery key of nvme0n1 2/);
  await place.fill("123456-234567-345678-456789-567890-678901-789012-890123");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText(/What you typed looks like a recovery key itself/)).toBeVisible();
  await place.fill("Safe at head office, envelope 9");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("recovery key: Safe at head office, envelope 9.")).toBeVisible();
});

test("a disk is replaced, and one like it is added", async ({ page }) => {
  await openForm(page, "/computers/WS-001?show=disks");
  await page.getByRole("button", { name: "Actions" }).click();
  await page.getByText("Replace a disk").click();
  await page.getByLabel("New size").fill("big");
  await page.getByRole("button", { name: "Replace disk" }).click();
  await expect(page.getByText(/A size is needed, such as/)).toBeVisible();
  await page.getByLabel("New size").fill("1 TB");
  await page.getByLabel("Serial number").fill("NEW-1");
  await page.getByRole("button", { name: "Replace disk" }).click();
  await expect(page.getByRole("heading", { name: "sda 1 TB" })).toBeVisible();
  await expect(page.getByText("No partitions recorded")).toBeVisible();
  await page.getByRole("button", { name: "Actions" }).click();
  await page.getByText("Add a similar computer").click();
  await page.getByLabel("New tag").fill("ZZ-400");
  await page.getByRole("button", { name: "Add computer" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZZ-400");
  await show(page, "History");
  await expect(page.getByText("copied it (from WS-001)")).toBeVisible();
});

test("a change over many: marked by the keyboard, shown, done and undone", async ({ page }) => {
  await openForm(page, "/computers?site=3");
  await page.getByRole("link", { name: "NP-001", exact: true }).focus();
  await page.keyboard.press("x");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Shift+X");
  await expect(page.getByText("3 computers marked")).toBeVisible();
  await page.getByRole("button", { name: "Edit selected" }).click();
  await page.getByLabel("What", { exact: true }).selectOption("fastBoot");
  await page.getByLabel("To", { exact: true }).selectOption("on");
  await page.getByRole("button", { name: "Preview changes" }).click();
  await expect(page.getByText("3 computers of 3 would change. Now: off (3).")).toBeVisible();
  await page.getByRole("button", { name: "Change 3 computers" }).click();
  await expect(page.getByText(/changed 3 computers together \(fast boot set to on\)/)).toBeVisible();
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(page.getByText("3 computers restored.")).toBeVisible();
  await page.goto("/computers/NP-002?show=history");
  await expect(page.getByText("undid a change of it (fast boot set to on)")).toBeVisible();
});

test("columns, sorting and a view under a name, all in the address", async ({ page }) => {
  await openForm(page, "/computers");
  await page.getByRole("button", { name: "Columns" }).click();
  await page.getByRole("checkbox", { name: "Memory" }).check();
  await expect(page.getByRole("columnheader", { name: "Memory" })).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("link", { name: "Memory", exact: true }).click();
  await expect(page.getByRole("columnheader", { name: "Memory" })).toHaveAttribute("aria-sort", "ascending");
  await expect(page.locator("tbody tr").first()).toContainText("2 GiB");
  await page.getByRole("button", { name: "Add filter" }).click();
  await page.getByRole("button", { name: "Secure Boot", exact: true }).click();
  await page.getByLabel("Secure Boot", { exact: true }).selectOption("on");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^\d computers$/);
  await listening(page);
  await page.getByRole("button", { name: "Save this view" }).click();
  await page.getByLabel("View name").fill("Locked, by memory");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByRole("link", { name: "Locked, by memory" })).toHaveAttribute("aria-current", "page");
  const parts = (url: string) => [...new URL(url).searchParams].sort().join(" ");
  const address = parts(page.url());
  await page.goto("/computers");
  await page.getByRole("link", { name: "Locked, by memory" }).click();
  await expect.poll(() => parts(page.url())).toBe(address);
});

test("a table with faults imports nothing; mended it does; what is exported imports as it was", async ({ page }) => {
  const rows = (second: string) =>
    `Asset no;Maker;RAM (GiB);Office\nZT-1;Ostrel;16;North Pier\nZT-2;Ostrel;${second};Far Pier\n`;
  await openForm(page, "/computers/import");
  await choose(page, file("bad.csv", rows("much")));
  await page.waitForURL(/\/computers\/import\/\d+/);
  await listening(page);
  await expect(page.getByLabel("What Asset no is")).toHaveValue("tag");
  await page.getByRole("button", { name: "Check every row" }).click();
  await expect(page.getByText(/Row 3, RAM \(GiB\): Memory: “much” is no size/)).toBeVisible();
  await expect(page.getByText(/site “Far Pier” not recorded/)).toHaveCount(0);
  await expect(page.getByRole("button", { name: "Import", exact: true })).toBeDisabled();

  await openForm(page, "/computers/import");
  await choose(page, file("good.csv", rows("8")));
  await page.waitForURL(/\/computers\/import\/\d+/);
  await listening(page);
  await page.getByRole("button", { name: "Check every row" }).click();
  await expect(page.getByText(/site “Far Pier” not recorded/)).toBeVisible();
  await page.getByLabel("Add sites that are not recorded yet").check();
  await page.getByRole("button", { name: "Check every row" }).click();
  await expect(page.getByText("1 new site: Far Pier.")).toBeVisible();
  await page.getByRole("button", { name: "Import 2 new" }).click();
  await expect(page.getByText("Imported: 2 new.")).toBeVisible();

  await page.goto("/computers/import");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "CSV of all computers" }).click(),
  ]);
  const text = readFileSync(await download.path(), "utf8");
  expect(text).toContain("ZT-1");
  await openForm(page, "/computers/import");
  await choose(page, file("again.csv", text));
  await page.waitForURL(/\/computers\/import\/\d+/);
  await listening(page);
  await page.getByRole("button", { name: "Check every row" }).click();
  await expect(page.getByText(/rows: 0 new, 0 changed, \d+ unchanged\./)).toBeVisible();
});

test("a key card speaks for all computers of its model, on the run sheet too", async ({ page }) => {
  await openForm(page, "/boot-keys");
  await page.getByRole("link", { name: "Marlowe Kiosk K2" }).click();
  await expect(page.getByRole("heading", { name: "Boot keys of Marlowe Kiosk K2" })).toBeVisible();
  await page.getByLabel("Boot menu key").fill("F3");
  await page.getByLabel("Quirks").fill("The keyboard must be attached before switching on.");
  await page.getByRole("button", { name: "Save card" }).click();
  await expect(page.getByText("Saved for all computers of this model.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Save card" })).toBeVisible();
  await page.goto("/run-sheets/NP-K1/RM-01");
  await expect(page.getByText(/press F3 for the boot menu/)).toBeVisible();
  await expect(page.getByText("The keyboard must be attached before switching on.")).toBeVisible();
});

test("a release calendar is taken in as it is", async ({ page }) => {
  await openForm(page, "/operating-systems");
  await choose(page, "/usr/share/distro-info/debian.csv");
  await page.getByLabel("Product, as computers call it").fill("Debian GNU/Linux");
  await page.getByRole("button", { name: "Import calendar" }).click();
  await expect(page.getByText(/\d+ releases of Debian GNU\/Linux imported\./)).toBeVisible();
});

test("facts that somebody else changed meanwhile: told, compared anew, and taken in the second time", async ({
  page,
  browser,
}) => {
  await openForm(page, "/computers/facts?to=HO-006");
  await choose(
    page,
    file("fast.json", '{"schema":"creel.facts/1","firmware":{"version":"9.9"},"memoryBytes":34359738368}'),
  );
  await expect(page.getByText(/updated from 2\.18 to 9\.9/)).toBeVisible();
  const other = await signedInAs(browser, page.url(), "col");
  const hisPage = await other.newPage();
  await openForm(hisPage, new URL("/computers/HO-006/edit", page.url()).toString());
  await hisPage.getByLabel("Firmware's version").fill("3.0");
  await hisPage.getByRole("button", { name: "Save", exact: true }).click();
  await hisPage.waitForURL(/\/computers\/HO-006$/);
  await other.close();

  await page.getByRole("button", { name: "Import facts for HO-006" }).click();
  await expect(page.getByRole("main").getByRole("alert")).toContainText("Col Marrick changed firmware");
  // What he typed is now a fact set by hand: it is kept unless she says otherwise.
  await expect(page.getByRole("group", { name: "Firmware's version" })).toContainText(
    "It was set by hand by Col Marrick",
  );
  await page.getByRole("button", { name: "Import facts for HO-006" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("HO-006");
  await expect(page.getByText("32 GiB", { exact: true })).toBeVisible();
  await expect(page.getByText("3.0", { exact: true })).toBeVisible();
});

test("what is exported is what the list shows; what the address does not know is left out of it", async ({
  request,
}) => {
  const lines = async (query: string) =>
    (await (await request.get(`/computers/export?form=jsonl&${query}`)).text()).trim().split("\n");
  const sandsay = await lines("q=kiosk&missing=nonsense");
  expect(sandsay.map((line) => JSON.parse(line).tag).sort()).toEqual(["NP-K1", "NP-K2", "SA-K1"]);
  expect(JSON.parse(sandsay[0] as string)).toMatchObject({
    schema: "creel.computer/1",
    facts: { schema: "creel.facts/1" },
  });
  const table = await request.get("/computers/export?q=kiosk");
  expect(table.headers()["content-type"]).toContain("text/csv");
  expect(table.headers()["content-disposition"]).toMatch(/attachment; filename="computers-\d{4}-\d{2}-\d{2}\.csv"/);
});

test("a file that is no table is told at once; an import that is not there is a page that says so", async ({
  page,
  request,
}) => {
  await openForm(page, "/computers/import");
  await choose(page, file("nothing.csv", ""));
  await expect(page.getByText("The file is empty.")).toBeVisible();
  expect((await request.get("/api/imports/987654")).status()).toBe(404);
  await page.goto("/computers/import/987654");
  await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
});

test("a calendar with a wrong date is refused whole, by line", async ({ page }) => {
  await openForm(page, "/operating-systems");
  await choose(page, file("bad.csv", "version,codename,series,created,release,eol\n1,One,one,,2020-01-01,someday\n"));
  await page.getByLabel("Product, as computers call it").fill("Plover");
  await page.getByRole("button", { name: "Import calendar" }).click();
  await expect(page.getByText("Line 2, eol: “someday” is no date such as 2028-06-30.")).toBeVisible();
});

test("the role of a partition is set by hand, and an image's needs follow", async ({ page }) => {
  await openForm(page, "/computers/FU-B1?show=disks");
  await expect(page.getByText("An image that recovers the computer holds partitions 1 and 2;")).toBeVisible();
  await page.getByLabel("Role of partition 3").selectOption("system");
  await expect(page.getByText("An image that recovers the computer holds partitions 1, 2 and 3;")).toBeVisible();
  await page.getByLabel("Role of partition 3").selectOption("data");
  await expect(page.getByText("holds partitions 1 and 2;")).toBeVisible();
});

test("beside a chosen computer the list keeps its filter, also where its form does not show it", async ({ page }) => {
  await openForm(page, "/computers?firmware=bios");
  await page.getByRole("link", { name: "PE-E1" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("PE-E1");
  await expect(page.getByRole("heading", { name: "3 computers" })).toBeVisible();
  await listening(page);
  await page.getByLabel("Tag, name, serial, model").fill("lathe");
  await expect(page.getByRole("heading", { name: "1 computer", exact: true })).toBeVisible();
  await expect(page).toHaveURL(/\/computers\/PE-E1\?q=lathe&firmware=bios$|\/computers\/PE-E1\?firmware=bios&q=lathe$/);
});
