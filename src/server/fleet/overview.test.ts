import { testInventory, value } from "../../../test/support/database";
import { addSite } from "../inventory/sites";
import { latestEvents } from "./overview";

const inventory = testInventory();

test("the latest acts come by their time, and only what was done together is one", async () => {
  const add = async (name: string, at: string) =>
    value(await addSite({ ...inventory.ina, now: () => new Date(at) }, { name }));
  await add("Sandsay", "2026-03-02T09:00:00Z");
  await add("Kirk Holm", "2026-03-02T09:01:00Z");
  // Recorded later, of an earlier day: it is neither the latest act nor a part of the one before it.
  await add("Wether Ness", "2026-02-01T09:00:00Z");
  const told = (await latestEvents(inventory.ina)).map(({ at, count }) => [at.toISOString(), count]);
  expect(told).toEqual([
    ["2026-03-02T09:01:00.000Z", 2],
    ["2026-02-01T09:00:00.000Z", 1],
  ]);
});
