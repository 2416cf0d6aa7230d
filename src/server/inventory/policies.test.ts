import { eq } from "drizzle-orm";
import { factsSchema } from "@/core/computer/facts/schema";
import { factsOf, MACHINES } from "../../../scripts/demo/skerry-line";
import { testInventory, value } from "../../../test/support/database";
import { problemText } from "../../core/words/problems";
import { sites as siteRows } from "../db/schema";
import { fleet } from "../fleet/fleet";
import type { Result } from "../problems";
import { addComputer } from "./computers";
import { history } from "./events";
import { listRules, loadPolicies, loadTravel, ruleColumns, saveRule, saveRuleValue, setTravel } from "./policies";
import { addSite } from "./sites";

const inventory = testInventory();
const sites = { office: 0, pier: 0, bridge: 0 };

const refusal = <T>(result: Result<T>) => (result.ok ? "" : problemText(result.problem));

beforeAll(async () => {
  const { ina } = inventory;
  sites.office = value(await addSite(ina, { name: "Head office" }));
  sites.pier = value(await addSite(ina, { name: "North Pier" }));
  sites.bridge = value(await addSite(ina, { name: "MV Petrel" }));
  const at = MACHINES.findIndex(({ tag }) => tag === "HO-001");
  const facts = factsSchema.parse(factsOf(MACHINES[at] as (typeof MACHINES)[number], at));
  value(await addComputer(ina, { tag: "HO-001", name: null, siteId: sites.office, note: null, facts }));
});

test("a rule is said, changed, and taken away once it says nothing; each change is told with what was before", async () => {
  const { ina, col } = inventory;
  const id = value(await saveRule(ina, { scope: "site", target: "Head office", values: { drillDays: 90 } }, null));
  value(await saveRule(ina, { scope: "computer", target: "HO-001", values: { proof: "computer" } }, null));
  const [computer] = (await fleet(ina)).computers;
  if (!computer) throw new Error("no computer");
  expect((await fleet(ina)).world.policyFor?.(computer)).toEqual({
    ...{ drillDays: 90, verificationDays: 180, proof: "computer" },
  });
  value(await saveRule(col, { scope: "site", target: "Head office", values: { drillDays: 120, back: 2 } }, 1));
  const stale = await saveRule(ina, { scope: "site", target: "Head office", values: { back: 3 } }, 1);
  expect(refusal(stale)).toContain("Col Marrick changed");
  expect((await listRules(ina.db)).map(({ target, values }) => [target, values])).toEqual([
    ["Head office", { drillDays: 120, back: 2 }],
    ["HO-001", { proof: "computer" }],
  ]);
  value(await saveRule(ina, { scope: "site", target: "Head office", values: {} }, 2));
  expect((await loadPolicies(ina.db)).ofSite("Head office").from.drillDays).toBeNull();
  // The fleet is judged by what holds now.
  expect((await fleet(ina)).world.policyFor?.(computer)?.drillDays).toBe(365);
  const told = await history(ina, "policy", id as number, 9);
  expect(told.map(({ action, before }) => [action, before])).toEqual([
    ["withdrew", { drillDays: 120, back: 2 }],
    ["changed", { drillDays: 90 }],
    ["added", null],
  ]);
});

test("what is said already is not said over without having been seen", async () => {
  const { ina } = inventory;
  value(await saveRule(ina, { scope: "form", target: "tablet", values: { back: 1 } }, null));
  const again = await saveRule(ina, { scope: "form", target: "tablet", values: { back: 2 } }, null);
  expect(refusal(again)).toContain("A rule for tablet exists. Edit it instead.");
  expect((await loadPolicies(ina.db)).rules.find(({ target }) => target === "tablet")?.values).toEqual({ back: 1 });
});

test.each([
  [{ scope: "site", target: "Nowhere", values: { back: 1 } }, "No site Nowhere."],
  [{ scope: "computer", target: "XX-1", values: { back: 1 } }, "There is no computer XX-1 in service."],
  [{ scope: "form", target: "toaster", values: { back: 1 } }, "A form factor is one of desktop"],
  [{ scope: "model", target: " ", values: { back: 1 } }, "Make and model are needed"],
  [{ scope: "everywhere", target: "", values: { back: 10 } }, "back"],
  [{ scope: "everywhere", target: "", values: { drillDays: 0 } }, "drill days"],
])("%j is refused", async (input, why) => {
  expect(refusal(await saveRule(inventory.ina, input, null))).toContain(why);
});

test("ways are kept either way, over other places too, and forgotten", async () => {
  const { ina } = inventory;
  const id = value(await setTravel(ina, { fromId: sites.pier, toId: sites.office, minutes: 25 }));
  value(await setTravel(ina, { fromId: sites.bridge, toId: sites.pier, minutes: 10 }));
  const { places, table } = await loadTravel(ina.db);
  const at = (name: string) => places.findIndex((place) => place.name === name);
  expect(table[at("Head office")]?.[at("MV Petrel")]).toBe(35);
  value(await setTravel(ina, { fromId: sites.office, toId: sites.pier, minutes: 30 }));
  value(await setTravel(ina, { fromId: sites.office, toId: sites.pier, minutes: 30 }));
  expect((await loadTravel(ina.db)).table[at("MV Petrel")]?.[at("Head office")]).toBe(40);
  value(await setTravel(ina, { fromId: sites.pier, toId: sites.office, minutes: null }));
  expect((await loadTravel(ina.db)).table[at("Head office")]?.[at("MV Petrel")]).toBeNull();
  expect((await history(ina, "way", id as number, 9)).map(({ action }) => action)).toEqual([
    ...["withdrew", "changed", "added"],
  ]);
  expect(refusal(await setTravel(ina, { fromId: 1, toId: 1, minutes: 5 }))).toContain("two different sites");
  expect(refusal(await setTravel(ina, { fromId: 1, toId: 999, minutes: 5 }))).toContain("There is no such site");
});

test("a rule follows its place under a new name", async () => {
  const { ina } = inventory;
  value(await saveRule(ina, { scope: "site", target: "MV Petrel", values: { spares: 3 } }, null));
  await ina.db.update(siteRows).set({ name: "MV Tern" }).where(eq(siteRows.id, sites.bridge));
  expect((await loadPolicies(ina.db)).ofSite("MV Tern").values.spares).toBe(3);
});

test("one value of a rule is said by itself: others that changed meanwhile stay, the same one is told", async () => {
  const { ina, col } = inventory;
  const rule = { scope: "site", target: "North Pier" };
  const said = async () =>
    (await listRules(ina.db)).find(({ scope, target }) => scope === rule.scope && target === rule.target)?.values;
  value(await saveRuleValue(ina, { ...rule, key: "drillDays", before: {}, after: { drillDays: 90 } }));
  value(await saveRuleValue(col, { ...rule, key: "spares", before: {}, after: { spares: 2 } }));
  expect(await said()).toEqual({ drillDays: 90, spares: 2 });
  const late = { ...rule, key: "drillDays", before: {}, after: { drillDays: 30 } };
  expect(refusal(await saveRuleValue(ina, late))).toContain("Col Marrick changed");
  expect(await said()).toEqual({ drillDays: 90, spares: 2 });
  const wrong = { ...rule, key: "spares", before: { spares: 2 }, after: { spares: -1 } };
  expect((await saveRuleValue(ina, wrong)).ok).toBe(false);
  value(await saveRuleValue(ina, { ...rule, key: "spares", before: { spares: 2 }, after: {} }));
  value(await saveRuleValue(ina, { ...rule, key: "drillDays", before: { drillDays: 90 }, after: {} }));
  // It says nothing any more, and is gone.
  expect(await said()).toBeUndefined();
  expect((await saveRuleValue(ina, { ...rule, key: "spares", before: { spares: 2 }, after: {} })).ok).toBe(false);
});

test("rules as columns: what each inherits, and from where", async () => {
  const { ina } = inventory;
  value(await saveRule(ina, { scope: "site", target: "Head office", values: { drillDays: 90 } }, null));
  value(await saveRule(ina, { scope: "everywhere", target: "", values: { back: 2 } }, null));
  const { columns, others } = await ruleColumns(ina, { scope: "computer", target: "HO-001" }, "");
  expect(others).toBe(0);
  const column = (target: string) => columns.find((each) => each.target === target);
  expect([...new Set(columns.map(({ scope }) => scope))]).toEqual(["everywhere", "site", "form", "computer"]);
  expect(column("Head office")?.inherits).toMatchObject({ back: { value: 2 }, drillDays: { value: 365, from: null } });
  // Tablets stand at several sites, of which one says it.
  expect(column("tablet")?.inherits).toMatchObject({ back: { value: 2 }, drillDays: "varies" });
  expect(column("HO-001")?.inherits.drillDays).toMatchObject({ value: 90, from: { target: "Head office" } });
  const found = await ruleColumns(ina, null, "head");
  expect(found.columns.map(({ target }) => target)).toEqual(["", "Head office"]);
});
