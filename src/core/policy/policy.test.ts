import { Policies, type PolicyRule, type PolicySubject, USUAL_VALUES } from "./policy";
import { travelTable } from "./travel";

let ids = 0;
const rule = (scope: PolicyRule["scope"], target: string, values: PolicyRule["values"]): PolicyRule => ({
  ...{ id: ++ids, scope, target, values },
});
const subject = (more: Partial<PolicySubject> = {}): PolicySubject => ({
  ...{ tag: "NP-001", site: "North Pier", form: "desktop", make: "Ostrel", model: "Block 9" },
  ...more,
});

test("each value is from the nearest rule that says it: computer, model, form, place, everywhere, what is usual", () => {
  const everywhere = rule("everywhere", "", { back: 2, drillDays: 300, files: 0 });
  const site = rule("site", "North Pier", { drillDays: 200, withinMinutes: 30 });
  const form = rule("form", "desktop", { withinMinutes: 45, image: 1 });
  const model = rule("model", "ostrel block 9", { image: 2 });
  const own = rule("computer", "np-001", { proof: "computer", drillDays: null });
  const policies = new Policies([own, form, everywhere, model, site, rule("computer", "NP-002", { back: 9 })]);
  const { values, from } = policies.of(subject());
  expect(values).toEqual({
    ...USUAL_VALUES,
    ...{ back: 2, files: 0, withinMinutes: 45, image: 2, proof: "computer", drillDays: null },
  });
  expect(from).toMatchObject({
    ...{ back: everywhere, files: everywhere, withinMinutes: form, image: model, proof: own, drillDays: own },
    ...{ imageDays: null },
  });
  expect(policies.of(subject({ tag: "X", site: "Sandsay", form: "server", model: "Other" })).values).toEqual({
    ...{ ...USUAL_VALUES, back: 2, drillDays: 300, files: 0 },
  });
});

test("who has no place, form or model has what is for all; places have their own", () => {
  const policies = new Policies([rule("site", "Workshop", { spares: 4 }), rule("form", "", { back: 5 })]);
  expect(policies.of(subject({ site: null, form: null, make: null, model: null })).values).toEqual(USUAL_VALUES);
  expect(policies.ofSite("workshop").values.spares).toBe(4);
  expect(policies.ofSite("Sandsay").from.spares).toBeNull();
});

test("ways over other places are ways, the shortest counts, and what has none has none", () => {
  const table = travelTable(5, [
    { from: 0, to: 1, minutes: 20 },
    { from: 1, to: 2, minutes: 15 },
    { from: 0, to: 2, minutes: 60 },
    { from: 0, to: 1, minutes: 25 },
    { from: 3, to: 3, minutes: 9 },
    { from: 4, to: 9, minutes: 5 },
  ]);
  expect(table[0]).toEqual([0, 20, 35, null, null]);
  expect(table[2]).toEqual([35, 15, 0, null, null]);
  expect(table[3]).toEqual([null, null, null, 0, null]);
  expect(travelTable(0, [])).toEqual([]);
});
