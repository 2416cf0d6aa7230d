import { type Browser, type BrowserContext, expect, type Page } from "@playwright/test";
import { demoSession } from "../../scripts/lib/session.mjs";

/** The demo's people, by the numbers of their records. */
export const PEOPLE = { ina: 1, col: 2, runa: 3, tam: 4 } as const;

/** A browser of somebody else, who is signed in. */
export async function signedInAs(
  browser: Browser,
  address: string | undefined,
  who: keyof typeof PEOPLE | null,
): Promise<BrowserContext> {
  const baseURL = address ?? "";
  const context = await browser.newContext({ baseURL, storageState: { cookies: [], origins: [] } });
  if (who) await context.addCookies((await demoSession(new URL(baseURL).origin, PEOPLE[who])).cookies);
  return context;
}

/** Opens a page and waits until its code has taken over: until then what is typed is not heard. */
export async function openForm(page: Page, path: string): Promise<void> {
  await page.goto(path);
  await page.locator("main form, main h1, main h2").first().waitFor();
  await listening(page);
}

/** Waits until every form of the page says that it listens. */
export async function listening(page: Page): Promise<void> {
  await expect(page.locator('[aria-busy="true"]')).toHaveCount(0);
}

/** Drops files by choosing them, as the keyboard does. */
export async function choose(page: Page, ...paths: string[]): Promise<void> {
  await page.locator('input[type="file"]:not([webkitdirectory])').setInputFiles(paths);
}
