// Takes the pictures of docs/screenshots from a running demo. Usage: screenshots.mts [FOLDER] [NAME…]
import { mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "playwright-core";
import { IMAGES } from "./demo/images";
import { demoSession } from "./lib/session.mjs";
import { Workshop } from "./media/workshop";

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
  { name: "upkeep", path: "/upkeep" },
  {
    name: "cover-plan",
    path: "/cover/plans/new",
    before: async (page) => {
      await page.getByLabel("Name", { exact: true }).fill("Winter");
      await page.getByRole("button", { name: "Compute plan" }).click();
      await page.getByRole("heading", { name: "Buy and make" }).waitFor();
    },
  },
  { name: "computers", path: "/computers?columns=name+site+chain+model+firmware+secureBoot+system+missing" },
  { name: "computer", path: "/computers/HO-002" },
  { name: "computer-facts", path: "/computers/HO-002?show=facts" },
  { name: "policy", path: "/policy" },
  {
    name: "take-in",
    path: "/computers/facts?to=HO-002",
    before: async (page) => {
      await page.locator('input[type="file"]:not([webkitdirectory])').setInputFiles(
        Object.entries(TAKEN_IN).map(([name, content]) => ({
          name,
          mimeType: "text/plain",
          buffer: Buffer.from(content),
        })),
      );
      await page.getByRole("heading", { name: "Effects" }).waitFor();
      await page.getByRole("heading", { name: /^Contradictions/ }).waitFor();
    },
  },
  { name: "arrivals", path: "/computers/arrivals" },
  { name: "medium", path: "/media/SP-01" },
  {
    name: "look-inside",
    path: "/look?show=inside",
    before: async (page) => {
      const folder = mkdtempSync(join(tmpdir(), "creel-pictures-"));
      await page
        .locator('input[type="file"]:not([webkitdirectory])')
        .setInputFiles(IMAGES.bollard5.make(new Workshop(folder)));
      await page.getByText("Fully read.").waitFor();
      await page.getByRole("button", { name: "live", exact: true }).waitFor();
      rmSync(folder, { recursive: true, force: true });
    },
  },
  {
    name: "call-out",
    path: "/callouts?computer=HO-001",
    before: async (page) => {
      await page.getByLabel("What happened").selectOption("disk-gone");
      await page.locator("form[aria-busy=false]").first().waitFor();
      await page.getByRole("button", { name: "Open call-out" }).click();
      await page.getByRole("region", { name: "Best route" }).waitFor();
    },
  },
  {
    name: "store",
    path: "/stores/1",
    before: async (page) => {
      await page.locator(".recharts-surface").first().waitFor();
      // Its line is drawn within a second and a half.
      await page.waitForTimeout(2000);
    },
  },
  { name: "bench", path: "/bench" },
  {
    name: "bench-plan",
    path: "/bench/make?tags=HO-002+PE-C1&release=2&tag=RM-20&way=laid-out&table=gpt&store=1&berth=3",
  },
  { name: "run-sheet", path: "/run-sheets/HO-007/LN-01", print: true },
  { name: "kits", path: "/kits" },
  { name: "chains", path: "/chains" },
  {
    name: "what-if",
    path: "/chains/rehearsals",
    dark: true,
    before: async (page) => {
      await page.getByLabel("What happens").selectOption("lose-site");
      await page.getByLabel("Site", { exact: true }).selectOption("Head office");
      await page.getByRole("button", { name: "Run what-if" }).click();
      await page.getByRole("heading", { name: "The media kept at Head office are lost" }).waitFor();
    },
  },
];

/** What the tools on HO-002 say after its firmware was updated and its disk was replaced. */
const TAKEN_IN = {
  "dmidecode.txt":
    "# dmidecode 3.4\nHandle 0x0000, DMI type 0, 26 bytes\nBIOS Information\n\tVendor: Norlight Firmware\n\tVersion: 2.21\n",
  "lsblk.json":
    '{"blockdevices":[{"name":"nvme0n1","size":1024209543168,"type":"disk","rm":false,"tran":"nvme","model":"Halyde 1024","serial":"HX990118","pttype":"gpt","children":[{"name":"nvme0n1p1","size":272629760,"type":"part","fstype":"vfat","fsver":"FAT32","parttype":"c12a7328-f81f-11d2-ba4b-00a0c93ec93b"}]}]}',
  "typed.json": '{"schema":"creel.facts/1","firmware":{"usbStart":"off","secureBoot":{"state":"off"}}}',
};

mkdirSync(folder, { recursive: true });
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
});
const session = await demoSession(address);
for (const view of VIEWS.filter((each) => names.length === 0 || names.includes(each.name))) {
  // A4 at 96 dots an inch is 794 by 1123.
  const viewport = view.print ? { width: 794 - 106, height: 1123 - 83 } : { width: 1280, height: 800 };
  const context = await browser.newContext({ viewport });
  await context.addCookies(session.cookies);
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
