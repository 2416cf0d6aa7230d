import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium, expect, test } from "@playwright/test";
import QRCode from "qrcode";
import { listening, openForm, signedInAs } from "./helpers";

const [WIDTH, HEIGHT] = [640, 480];

/** A film of one code, as YUV4MPEG2 in 4:2:0 (its header's form: yuv4mpeg(5)). */
function film(text: string): Buffer {
  const { modules } = QRCode.create(text, { errorCorrectionLevel: "M" });
  const cell = Math.floor((HEIGHT * 0.7) / modules.size);
  const [left, top] = [(WIDTH - cell * modules.size) >> 1, (HEIGHT - cell * modules.size) >> 1];
  const light = Buffer.alloc(WIDTH * HEIGHT, 235);
  for (let y = 0; y < cell * modules.size; y++)
    for (let x = 0; x < cell * modules.size; x++)
      if (modules.get(Math.floor(y / cell), Math.floor(x / cell))) light[(top + y) * WIDTH + left + x] = 16;
  const frame = Buffer.concat([Buffer.from("FRAME\n"), light, Buffer.alloc((WIDTH * HEIGHT) / 2, 128)]);
  const head = Buffer.from(`YUV4MPEG2 W${WIDTH} H${HEIGHT} F10:1 Ip A1:1 C420jpeg\n`);
  return Buffer.concat([head, frame, frame, frame, frame]);
}

test("a label that is held in front of the camera is found at once", async ({ baseURL }) => {
  const folder = mkdtempSync(join(tmpdir(), "creel-scan-"));
  writeFileSync(join(folder, "label.y4m"), film("SP-01"));
  const browser = await chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: [
      ...["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
      ...["--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream"],
      `--use-file-for-fake-video-capture=${join(folder, "label.y4m")}`,
    ],
  });
  try {
    const page = await (await signedInAs(browser, baseURL, "ina")).newPage();
    await page.goto("/");
    await listening(page);
    await page.getByRole("button", { name: "Scan a label with the camera" }).click();
    await expect(page).toHaveURL(/\/media\/SP-01$/);
    await expect(page.getByRole("dialog")).toHaveCount(0);
  } finally {
    await browser.close();
    rmSync(folder, { recursive: true });
  }
});

test("without a camera the page says so, and the tag is typed", async ({ page }) => {
  await page.goto("/");
  await listening(page);
  await page.getByRole("button", { name: "Scan a label with the camera" }).click();
  await expect(page.getByRole("alert").filter({ hasText: /camera.*ype the tag/ })).toBeVisible();
  await page.getByRole("button", { name: "Cancel" }).click();
  await expect(page.getByRole("dialog")).toHaveCount(0);
});

test("a handheld scanner is heard on every page, wherever the focus is; a key alone is a shortcut", async ({
  page,
}) => {
  await openForm(page, "/computers");
  // As such a scanner types: some milliseconds a key, Enter at its end.
  await page.keyboard.type("rm-05", { delay: 4 });
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/media\/RM-05$/);
  await page.getByRole("link", { name: "Edit or read again" }).focus();
  await page.keyboard.type("HO-002", { delay: 4 });
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/computers\/HO-002$/);
  await listening(page);
  await page.keyboard.press("m");
  await expect(page).toHaveURL(/\/media$/);
});

test("a label is given to a label printer in its own language", async ({ page }) => {
  await page.goto("/media/RM-05");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "57 × 32 mm" }).click(),
  ]);
  expect(download.suggestedFilename()).toBe("labels.zpl");
  expect(readFileSync(await download.path(), "utf8")).toMatch(
    /^\^XA[\s\S]*\^FDRM-05\^FS[\s\S]*\^FDMA,RM-05\^FS[\s\S]*\^XZ\n$/,
  );
});
