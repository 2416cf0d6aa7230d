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
  /** As it is printed, on A4 with its margins. */
  print?: boolean;
  before?: (page: import("playwright-core").Page) => Promise<void>;
}[] = [
  { name: "today", path: "/" },
  { name: "computer", path: "/computers/HO-007" },
  { name: "computer-dark", path: "/computers/NP-K1", dark: true },
  { name: "computer-edit", path: "/computers/NP-003/edit" },
  { name: "medium", path: "/media/SP-01" },
  { name: "medium-worn", path: "/media/LN-02" },
  {
    name: "medium-register",
    path: "/media/new",
    before: async (page) => {
      await page.locator('input[type="file"]').setInputFiles("samples/bollard-5.0-cut.iso");
      await page.getByRole("heading", { name: "Ways to start" }).waitFor();
    },
  },
  { name: "run-sheet", path: "/sheets/HO-007/LN-01", print: true },
  { name: "kits", path: "/kits" },
  { name: "keys", path: "/", before: (page) => page.keyboard.press("?") },
];

mkdirSync(folder, { recursive: true });
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
});
for (const view of VIEWS.filter((each) => names.length === 0 || names.includes(each.name))) {
  // A4 at 96 dots an inch is 794 by 1123.
  const viewport = view.print ? { width: 794 - 106, height: 1123 - 83 } : { width: 1280, height: 800 };
  const context = await browser.newContext({ viewport });
  if (view.dark) await context.addCookies([{ name: "creel-form", value: "dark", url: address }]);
  const page = await context.newPage();
  await page.goto(address + view.path);
  await page.getByRole("main").getByRole("heading").first().waitFor();
  await view.before?.(page);
  await page.waitForTimeout(250);
  if (view.print) await page.emulateMedia({ media: "print" });
  await page.screenshot({ path: join(folder, `${view.name}.png`) });
  await context.close();
}
await browser.close();
