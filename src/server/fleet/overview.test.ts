import { testInventory, value } from "../../../test/support/database";
import { setTravel } from "../inventory/policies";
import { addSite } from "../inventory/sites";
import { latestEvents } from "./overview";

const inventory = testInventory();

test("the latest acts come by their time; one act is what was done together, to so many different things", async () => {
  const at = (time: string) => ({ ...inventory.ina, now: () => new Date(time) });
  const add = async (name: string, time: string) => value(await addSite(at(time), { name }));
  const fromId = await add("Sandsay", "2026-03-02T09:00:00Z");
  const toId = await add("Kirk Holm", "2026-03-02T09:01:00Z");
  // Recorded later, of an earlier day: it is neither the latest act nor a part of the one before it.
  await add("Wether Ness", "2026-02-01T09:00:00Z");
  for (const minutes of [30, 40, 50])
    value(await setTravel(at(`2026-03-02T10:00:${minutes}Z`), { fromId, toId, minutes }));
  const told = (await latestEvents(inventory.ina)).map(({ at, action, count }) => [at.toISOString(), action, count]);
  expect(told).toEqual([
    ["2026-03-02T10:00:50.000Z", "changed", 1],
    ["2026-03-02T10:00:30.000Z", "added", 1],
    ["2026-03-02T09:01:00.000Z", "added", 2],
    ["2026-02-01T09:00:00.000Z", "added", 1],
  ]);
});
