import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { IMAGES } from "../../scripts/demo/images";
import { choose, listening, openForm } from "./helpers";

/** The berth by its name, on the bench. */
async function berth(page: Page, name: string) {
  await page.goto("/bench");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Bench");
  return page.getByRole("listitem").filter({ has: page.getByText(name, { exact: true }) });
}

/** Chooses an act of a berth: the one that is there, or one of its menu. */
async function actOf(page: Page, name: string, act: string) {
  const own = await berth(page, name);
  await listening(page);
  const there = own.getByRole("link", { name: act }).or(own.getByRole("button", { name: act, exact: true }));
  if ((await there.count()) > 0) return there.first().click();
  await own.getByRole("button", { name: `More for ${name}` }).click();
  await page.getByRole("menuitem", { name: act, exact: true }).click();
}

/** The four steps for a medium in a berth, up to the check of what it will be. */
async function plan(
  page: Page,
  name: string,
  release: string,
  tag: string,
  way: string,
  kept: Record<string, string> = {},
) {
  await actOf(page, name, "Make a medium");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Make a medium");
  await page.getByRole("link", { name: "No computer in particular" }).click();
  await what(page, release, way);
  await page.getByLabel("Tag of the medium").fill(tag);
  for (const [label, text] of Object.entries(kept)) {
    const field = page.getByLabel(new RegExp(`^${label}`));
    if (label === "Kept at") await field.selectOption({ label: text });
    else await field.fill(text);
  }
  await page.getByRole("button", { name: "Preview plan" }).click();
}

/** The second step: the release, and how it is written. */
async function what(page: Page, release: string, way: string, beside?: string) {
  await expect(page.getByRole("heading", { level: 2, name: "What" })).toBeVisible();
  await page.locator("select[name=release]").selectOption({ label: release });
  await page.getByLabel("Write as").selectOption({ label: way });
  if (beside) await page.getByLabel("A second release").selectOption({ label: beside });
  await page.getByRole("button", { name: "Use this release" }).click();
}

async function start(page: Page, tag: string, confirm: string) {
  await expect(page.locator("form[aria-busy=false]").last()).toBeVisible();
  await page.getByLabel(/^Confirm the device/).fill(confirm);
  await page.getByRole("button", { name: `Erase and write ${tag}` }).click();
}

test("a stick is planned, named, written, read back and recorded", async ({ page }) => {
  await plan(page, "Hub 1", "Bollard 5.0", "ZB-01", "partition and copy files", {
    ...{ Name: "Workshop stick", "Kept at": "Workshop", Purpose: "For the workshop's bench" },
  });
  await expect(page.getByText(/are written, and read back: [\d.]+ to [\d.]+ (seconds|minutes)\./)).toBeVisible();
  await expect(page.getByText("BIOS computers start it through GRUB")).toBeVisible();
  await expect(page.getByText(/^Route will hold for \d+ computers$/)).toBeVisible();
  await start(page, "ZB-01", "nope");
  await expect(page.getByText(/This does not name the device/)).toBeVisible();
  await start(page, "ZB-01", "7714");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Make ZB-01");
  await expect(page.getByText(/^Verified: all .* read back and intact/)).toBeVisible();
  await expect(page.getByText("As predicted.", { exact: true })).toBeVisible();
  // The label and the place come next, and what it is a route for is told as it was before.
  await expect(page.getByText(/^Label ZB-01 and take it to Workshop\./)).toBeVisible();
  await expect(page.getByRole("link", { name: "Print label" })).toBeVisible();
  await page.getByRole("link", { name: "See ZB-01" }).first().click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZB-01");
  await expect(page.getByText("/EFI/BOOT/BOOTX64.EFI").filter({ visible: true }).first()).toBeVisible();
  await expect(page.getByText("For the workshop's bench")).toBeVisible();
  const label = await page.request.get("/media/labels?tags=ZB-01&format=21");
  expect([label.headers()["content-type"], (await label.body()).subarray(0, 5).toString()]).toEqual([
    "application/pdf",
    "%PDF-",
  ]);
  const own = await berth(page, "Hub 1");
  await expect(own.getByRole("link", { name: "ZB-01" })).toBeVisible();
  await expect(own.getByText("Workshop stick")).toBeVisible();
  await actOf(page, "Hub 1", "Verify");
  await expect(page.getByText("Every file of the release is intact.")).toBeVisible();
  await actOf(page, "Hub 1", "Verify a sample");
  await expect(page.getByText(/^A sample was compared, .* Every file has its size\.$/)).toBeVisible();
});

test("what cannot be made says why, and what would do", async ({ page }) => {
  await plan(page, "Burner", "Bollard 5.0", "ZB-02", "an optical disc");
  await expect(page.getByRole("region", { name: "Plan" })).toBeVisible();
  // A disc has neither a tag nor a serial: it is named by its berth.
  await start(page, "ZB-02", "burner");
  await expect(page.getByText(/^Verified: all .* read back/)).toBeVisible();
  await plan(page, "Hub 2", "Spindle 3.0", "ZB-02", "raw copy plus store");
  await expect(page.getByRole("region", { name: "Plan" })).toBeVisible();
  await expect(page.getByText(/Store as exFAT/)).toBeVisible();
});

test("a second release is put beside the first, and what no computer would come to is refused", async ({ page }) => {
  const both = async (release: string, beside: string, way: string) => {
    await actOf(page, "Hub 2", "Make a medium");
    await page.getByRole("link", { name: "No computer in particular" }).click();
    await what(page, release, way, beside);
    await page.getByLabel("Tag of the medium").fill("ZB-21");
    await page.getByRole("button", { name: "Preview plan" }).click();
  };
  await both("Lantern 12", "Bollard 5.0", "partition and copy files");
  await expect(page.getByText("Lantern 12 comes up on 64-bit (x64) UEFI computers.")).toBeVisible();
  await expect(page.getByText("Bollard 5.0 comes up on 32-bit (ia32) UEFI and BIOS computers.")).toBeVisible();
  await expect(page.getByText(/Lantern 12 as FAT32, Bollard 5\.0 as FAT32\./)).toBeVisible();
  await both("Lantern 12", "Lantern 11", "partition and copy files");
  await expect(page.getByRole("heading", { name: "Not possible" })).toBeVisible();
  await expect(page.getByText(/^No computer would start Lantern 11: another release/)).toBeVisible();
  // Another device would not help.
  await expect(page.getByText(/Use another one\.$/)).toHaveCount(0);
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
  await actOf(page, "Hub 3", "Test capacity");
  const own = page.getByRole("listitem").filter({ has: page.getByText("Hub 3", { exact: true }) });
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
  await dock.getByRole("button", { name: "More for Disk dock" }).click();
  await expect(page.getByRole("menuitem", { name: "Remove" })).toBeVisible();
  await expect(page.getByRole("menuitem", { name: "Make a medium" })).toHaveCount(0);
});

test("a medium is made in four steps: for whom, what, where, and a check", async ({ page }) => {
  await page.goto("/computers/HO-004");
  await page.getByRole("link", { name: "Suggest a medium" }).click();
  await expect(page.getByText("Route for it").first()).toBeVisible();
  await page.getByRole("link", { name: "Change for whom" }).click();
  // Nobody begins with an empty box: those who miss their policy are offered, by site and by release.
  const bySite = page.getByRole("region", { name: "Computers that miss their policy, by site" });
  await expect(bySite.getByRole("link").first()).toHaveText(/^.+: \d+ computers?$/);
  const byRelease = page.getByRole("region", { name: "Releases that would recover them" });
  await expect(byRelease.getByRole("link").first()).toHaveText(/^.+: \d+ computers?$/);
  await page.getByLabel("Other computers (tags)").fill("HO-001 HO-002 FU-E1 NOPE");
  await page.getByRole("button", { name: "Suggest a medium" }).click();
  await expect(page.getByText("No computer in service has the tag NOPE.")).toBeVisible();
  const best = page
    .getByRole("listitem")
    .filter({ has: page.getByRole("heading", { level: 3 }) })
    .filter({ hasText: "Requires" })
    .nth(1);
  await expect(best.getByRole("heading")).toHaveText(/^Bollard 5\.0, /);
  await expect(best.getByText(/Route for all 3.* a stick of 4 GB\./)).toBeVisible();
  await best.getByRole("link", { name: "Use Bollard 5.0" }).click();
  // What it is made on is blank and large enough; the tag is a free one.
  await expect(page.getByLabel("Tag of the medium")).toHaveValue(/^RM-\d+$/);
  await expect(page.getByRole("radio", { checked: true })).not.toHaveValue("file");
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByRole("region", { name: "Plan" })).toBeVisible();
  await expect(page.getByText("HO-001, HO-002, FU-E1")).toBeVisible();
});

test("a medium is made as a file, downloaded, and kept as one until it is written", async ({ page }) => {
  await page.goto("/bench/make?any=1");
  await what(page, "Bollard 5.0", "partition and copy files");
  await page.getByRole("radio", { name: /^A file/ }).check();
  await page.getByLabel("Tag of the medium").fill("ZB-F1");
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByText(/^Route will hold for \d+ computers$/)).toBeVisible();
  const waiting = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Download ZB-F1/ }).click();
  const download = await waiting;
  expect(download.suggestedFilename()).toBe("ZB-F1.img");
  const path = await download.path();
  // The table and the file system, by tools that know nothing of Creel: sgdisk(8), mdir(1).
  const table = spawnSync("sgdisk", ["--verify", path], { encoding: "utf8" });
  expect(table.stdout).toContain("No problems found");
  const listed = spawnSync("mdir", ["-b", "-i", `${path}@@1M`, "::/EFI/BOOT"], { encoding: "utf8" });
  expect(listed.stdout).toContain("BOOTX64.EFI");
  // The other forms are of the same bytes, also in parts and later.
  const whole = readFileSync(path);
  const hrefOf = async (name: string | RegExp) => (await page.getByRole("link", { name }).getAttribute("href")) ?? "";
  const sum = await page.request.get(await hrefOf("SHA-256"));
  expect(await sum.text()).toBe(`${createHash("sha256").update(whole).digest("hex")}  ZB-F1.img\n`);
  const packed = await page.request.get(await hrefOf("Packed (zstd)"));
  const unpacked = spawnSync("zstd", ["-dc"], { input: await packed.body(), maxBuffer: 1 << 30 });
  expect(Buffer.compare(unpacked.stdout, whole)).toBe(0);
  const raw = await hrefOf(/^Download ZB-F1/);
  const first = await page.request.get(raw, { headers: { range: "bytes=1048000-1049000" } });
  expect([first.status(), Buffer.compare(await first.body(), whole.subarray(1_048_000, 1_049_001))]).toEqual([206, 0]);
  const etag = first.headers().etag ?? "";
  const rest = await page.request.get(raw, { headers: { range: `bytes=${whole.length - 9}-`, "if-range": etag } });
  expect([rest.status(), Buffer.compare(await rest.body(), whole.subarray(-9))]).toEqual([206, 0]);
  await page.getByRole("button", { name: "Register ZB-F1 as a file" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZB-F1");
});

test("included system files are a choice: both sums, and from when on they are too old", async ({ page }) => {
  await page.goto("/bench/make?any=1");
  await what(page, "Lantern 12", "partition and copy files");
  await page.getByRole("radio", { name: /^Hub 2/ }).check();
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(
    page.getByText(/^System files are included: .* of .*\. They are too old for the policy from /),
  ).toBeVisible();
  await page.getByRole("link", { name: "Leave them out" }).click();
  await expect(page.getByText(/^System files are left out: .* instead of .*\. It reinstalls nothing\./)).toBeVisible();
  await page.getByRole("link", { name: "Include them" }).click();
  await expect(page.getByText(/^System files are included/)).toBeVisible();
});

test("what somebody laid into the library is carried along in the store", async ({ page }) => {
  await page.goto("/bench/make?any=1");
  await page.getByLabel(/^workshop-tools\.iso/).check();
  await what(page, "Bollard 5.0", "raw copy plus store");
  await page.getByRole("radio", { name: /^Hub 2/ }).check();
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
  const hub = page.getByRole("listitem").filter({ has: page.getByText("Hub 4", { exact: true }) });
  await actOf(page, "Hub 4", "Remove");
  // Seen where it was done: a page that is left at once takes what it was about to send with it.
  await expect(hub.getByText("empty")).toBeVisible();
  const rear = await berth(page, "Rear");
  await rear.getByLabel("Device for Rear").selectOption({ label: "Halyde Pebble, HP7690, 1,000 MB" });
  await rear.getByRole("button", { name: "Insert" }).click();
  await expect(rear.getByText("7690")).toBeVisible();
});

test("a stick becomes nothing but a store, and is registered as one", async ({ page }) => {
  await actOf(page, "Hub 2", "Make a store");
  await page.getByLabel("Name of the store").fill("Deck vault");
  await page.getByLabel("Kept at").selectOption("Workshop");
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByRole("region", { name: "Plan" })).toBeVisible();
  await start(page, "Deck vault", "7715");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Make Deck vault");
  await expect(page.getByText(/^Verified: all .* read back/)).toBeVisible();
  await page.getByRole("link", { name: "See the stores" }).click();
  await expect(page.getByRole("link", { name: "Deck vault" })).toBeVisible();
});
