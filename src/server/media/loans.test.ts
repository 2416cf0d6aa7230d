import { testInventory, value } from "../../../test/support/database";
import { problemText } from "../../core/words/problems";
import { addSite } from "../inventory/sites";
import type { Result } from "../problems";
import { compareStock, giveBack, lend, loansOf, openLoans, shelfOf, takeStock } from "./loans";
import { addMedium, getMedium } from "./media";

const inventory = testInventory();
const ids = { office: 0, pier: 0 };

const refusal = <T>(result: Result<T>) => (result.ok ? "" : problemText(result.problem));
const site = async (tag: string) => (await getMedium(inventory.ina, tag))?.row.siteId;

beforeAll(async () => {
  ids.office = value(await addSite(inventory.ina, { name: "Head office" }));
  ids.pier = value(await addSite(inventory.ina, { name: "North Pier" }));
  const medium = { name: null, kind: "usb", capacityBytes: null, lentTo: null, note: null, releaseIds: [] };
  for (const tag of ["RM-01", "RM-02", "RM-03"])
    value(await addMedium(inventory.ina, { ...medium, tag, siteId: ids.office }, null));
  value(await addMedium(inventory.ina, { ...medium, tag: "RM-09", siteId: ids.pier }, null));
});

test("a medium is lent to one at a time, is overdue after its day, and comes back", async () => {
  expect(refusal(await lend(inventory.ina, { tag: "RM-01", to: "" }))).toContain("Who takes it?");
  expect(refusal(await lend(inventory.ina, { tag: "RM-77", to: "Runa Esk" }))).toContain("RM-77");
  expect(refusal(await lend(inventory.ina, { tag: "RM-01", to: "Runa Esk", dueOn: "2026-02-01" }))).toContain(
    "is past",
  );
  value(await lend(inventory.ina, { tag: "RM-01", to: "Runa Esk", dueOn: "2026-03-10" }));
  expect(refusal(await lend(inventory.col, { tag: "RM-01", to: "Col Marrick" }))).toContain("is with Runa Esk");
  expect(await openLoans(inventory.ina)).toMatchObject([{ tag: "RM-01", since: "2026-03-01", isOverdue: false }]);
  inventory.clock.now = new Date("2026-03-11T08:00:00Z");
  expect(await openLoans(inventory.ina)).toMatchObject([{ isOverdue: true }]);
  value(await giveBack(inventory.col, "rm-01", null));
  expect(await openLoans(inventory.ina)).toEqual([]);
  expect(await loansOf(inventory.ina, (await getMedium(inventory.ina, "RM-01"))?.row.id ?? 0)).toMatchObject([
    { to: "Runa Esk", returnedOn: "2026-03-11" },
  ]);
});

test("a stock-taking tells what is there, missing, from elsewhere and unknown, and moves what was found", async () => {
  value(await lend(inventory.ina, { tag: "RM-02", to: "Runa Esk" }));
  const scanned = ["rm-01", "RM-09", "RM-01", "RM-02", "", "XX-5"];
  const told = { found: ["RM-01"], moved: ["RM-09", "RM-02"], unknown: ["xx-5"], missing: ["RM-03"] };
  expect(value(await compareStock(inventory.ina, ids.office, scanned))).toEqual(told);
  expect(await site("RM-09")).toBe(ids.pier);
  expect(value(await takeStock(inventory.ina, ids.office, scanned))).toEqual(told);
  expect([await site("RM-09"), (await getMedium(inventory.ina, "RM-02"))?.row.lentTo]).toEqual([ids.office, null]);
  const shelf = await shelfOf(inventory.ina, ids.office);
  expect(shelf?.lastTaken).toEqual({ on: "2026-03-11", personName: "Ina Torvald", missing: ["RM-03"] });
  expect(shelf?.media.map(({ tag }) => tag)).toEqual(["RM-01", "RM-02", "RM-03", "RM-09"]);
  expect(refusal(await takeStock(inventory.ina, 999, []))).toContain("There is no such site");
});
