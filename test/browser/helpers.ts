import { expect, type Page } from "@playwright/test";

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
  await page.locator('input[type="file"]').setInputFiles(paths);
}
