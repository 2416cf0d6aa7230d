// Takes the pictures of docs/screenshots from a running demo. Usage: screenshots.mts [FOLDER] [NAME…]
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { chromium } from "playwright-core";

const [folder = "docs/screenshots", ...names] = process.argv.slice(2);
const address = process.env.CREEL_ADDRESS ?? "http://127.0.0.1:4824";

const VIEWS: {
  name: string;
  path: string;
  dark?: boolean;
  wholePage?: boolean;
  before?: (page: import("playwright-core").Page) => Promise<void>;
}[] = [
  { name: "today", path: "/" },
  { name: "computers", path: "/computers" },
  { name: "computer", path: "/computers/HO-007" },
  { name: "computer-dark", path: "/computers/NP-K1", dark: true },
  { name: "computer-edit", path: "/computers/NP-003/edit" },
  { name: "media", path: "/media" },
  { name: "medium", path: "/media/SP-01" },
  { name: "medium-register", path: "/media/new" },
  { name: "run-sheet", path: "/sheets/HO-007/LN-01", wholePage: true },
  { name: "kits", path: "/kits" },
  { name: "keys", path: "/", before: (page) => page.keyboard.press("?") },
];

mkdirSync(folder, { recursive: true });
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
});
for (const view of VIEWS.filter((each) => names.length === 0 || names.includes(each.name))) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  if (view.dark) await context.addCookies([{ name: "creel-form", value: "dark", url: address }]);
  const page = await context.newPage();
  await page.goto(address + view.path, { waitUntil: "networkidle" });
  await view.before?.(page);
  await page.waitForTimeout(250);
  await page.screenshot({ path: join(folder, `${view.name}.png`), fullPage: view.wholePage ?? false });
  await context.close();
}
await browser.close();
