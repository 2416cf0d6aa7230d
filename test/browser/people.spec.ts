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

test("times are in the time zone of the organisation, which an administrator changes", async ({ browser, baseURL }) => {
  const runa = await (await signedInAs(browser, baseURL, "runa")).newPage();
  const save = async (zone: string, currency: string) => {
    await openForm(runa, "/organisation");
    await runa.getByLabel("Time zone").selectOption(zone);
    await runa.getByLabel("Currency").fill(currency);
    await runa.getByRole("button", { name: "Save", exact: true }).click();
    await expect(runa.getByText("Saved.", { exact: true })).toBeVisible();
  };
  const lastAsked = async (heading: string) => {
    await runa.goto("/audit");
    await expect(runa.getByRole("columnheader", { name: heading })).toBeVisible();
    return (await runa.getByRole("cell").first().textContent())?.slice(-5) ?? "";
  };
  await save("Pacific/Marquesas", "xpf");
  try {
    // The Marquesas are 9:30 behind UTC all year (IANA time zone database).
    const minutes = (clock: string) => Number(clock.slice(0, 2)) * 60 + Number(clock.slice(3));
    const now = new Date();
    const ahead = minutes(await lastAsked("When, Marquesas time")) - now.getUTCHours() * 60 - now.getUTCMinutes();
    expect((((ahead + 570) % 1440) + 1440 + 2) % 1440).toBeLessThanOrEqual(4);
    await runa.goto("/cover/plans/new");
    await expect(runa.getByText("In XPF. Blank: not available.").first()).toBeVisible();
    await openForm(runa, "/organisation");
    await runa.getByLabel("Currency").fill("1");
    await runa.getByRole("button", { name: "Save", exact: true }).click();
    await expect(runa.getByText("A currency has three letters, such as EUR.")).toBeVisible();
  } finally {
    await save("Europe/London", "EUR");
  }
});
