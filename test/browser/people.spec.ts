import { expect, test } from "@playwright/test";
import { openForm, signedInAs } from "./helpers";

test("somebody is limited to sites, is told so elsewhere, and changes what is there", async ({ browser, baseURL }) => {
  const runa = await (await signedInAs(browser, baseURL, "runa")).newPage();
  const col = await (await signedInAs(browser, baseURL, "col")).newPage();
  const limit = async (...sites: string[]) => {
    await openForm(runa, "/people");
    await runa.getByRole("button", { name: "More for Col Marrick" }).click();
    await runa.getByRole("menuitem", { name: "Limit to sites" }).click();
    const dialog = runa.getByRole("dialog");
    for (const line of await dialog.locator("label").all())
      await line.getByRole("checkbox").setChecked(sites.includes((await line.textContent())?.trim() ?? ""));
    await dialog.getByRole("button", { name: "Save sites" }).click();
    await expect(dialog).toBeHidden();
  };
  const rename = async (tag: string, name: string) => {
    await openForm(col, `/computers/${tag}/edit`);
    await col.getByRole("group", { name: "Computer" }).getByLabel("Name", { exact: true }).fill(name);
    await col.getByRole("button", { name: "Save", exact: true }).click();
  };
  await limit("North Pier");
  try {
    await expect(runa.getByText("only North Pier")).toBeVisible();
    await rename("HO-001", "Somebody else's");
    await expect(
      col.getByText("This is at Head office, and your account is limited to other sites.").first(),
    ).toBeVisible();
    await rename("NP-001", "Ticket desk, west");
    await expect(col.getByText("Ticket desk, west").first()).toBeVisible();
  } finally {
    await limit();
  }
  await expect(runa.getByText("only North Pier")).toBeHidden();
});
