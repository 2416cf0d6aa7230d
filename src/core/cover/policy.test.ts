import { dice } from "../../../test/support/dice";
import {
  inheritedBy,
  POLICY_KEYS,
  Policies,
  type PolicyRule,
  type PolicySubject,
  SCOPES,
  type Scope,
  USUAL_VALUES,
} from "./policy";
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

test("what a rule inherits is what holds without it; where rules in between differ among its computers, it varies", () => {
  const next = dice(77);
  for (let turn = 0; turn < 200; turn++) {
    const rules = SCOPES.flatMap((scope) => {
      const targets = {
        everywhere: "",
        site: "North Pier",
        form: "desktop",
        model: "Ostrel Block 9",
        computer: "NP-001",
      };
      return next(2) === 0 ? [rule(scope, targets[scope], { drillDays: 1 + next(400) })] : [];
    });
    const without = (from: Scope) =>
      new Policies(rules.filter(({ scope }) => SCOPES.indexOf(scope) < SCOPES.indexOf(from)));
    for (const scope of SCOPES) {
      const expected = without(scope).of(subject());
      expect(inheritedBy(rules, scope, "drillDays", subject())).toEqual({
        ...{ value: expected.values.drillDays, from: expected.from.drillDays },
      });
      const between = rules.some(
        (each) => each.scope !== "everywhere" && SCOPES.indexOf(each.scope) < SCOPES.indexOf(scope),
      );
      const general = inheritedBy(rules, scope, "drillDays");
      if (between) expect(general).toBe("varies");
      else expect(general).toMatchObject({ value: expected.values.drillDays });
    }
  }
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

/** Each value by looking through all rules, the nearest scope last. */
function plainly(rules: readonly PolicyRule[], who: PolicySubject): Record<string, unknown> {
  const same = (a: string, b: string) => a.trim().toLowerCase() === b.trim().toLowerCase();
  const applies = ({ scope, target }: PolicyRule) =>
    scope === "everywhere" ||
    (scope === "site" && who.site !== null && same(target, who.site)) ||
    (scope === "form" && who.form !== null && same(target, who.form)) ||
    (scope === "model" && who.make !== null && who.model !== null && same(target, `${who.make} ${who.model}`)) ||
    (scope === "computer" && same(target, who.tag));
  const values: Record<string, unknown> = { ...USUAL_VALUES };
  for (const scope of SCOPES)
    for (const each of rules) if (each.scope === scope && applies(each)) Object.assign(values, each.values);
  return values;
}

test("rules at random: each computer has what looking through all of them gives", () => {
  const roll = dice(61);
  const some = <T>(of: readonly T[]): T => of[roll(of.length)] as T;
  const targets: Record<Scope, string[]> = {
    everywhere: [""],
    site: ["North Pier", "Sandsay"],
    form: ["desktop", "server"],
    model: ["Ostrel Block 9", "Ostrel Slate 14"],
    computer: ["NP-001", "NP-002"],
  };
  for (let run = 0; run < 40; run++) {
    const rules = SCOPES.flatMap((scope) =>
      targets[scope].flatMap((target) => {
        if (roll(2) === 0) return [];
        const values = {
          ...(roll(2) ? { back: roll(4) } : {}),
          ...(roll(2) ? { drillDays: some([null, 30, 90]) } : {}),
        };
        return [rule(scope, roll(2) ? target.toUpperCase() : ` ${target} `, values)];
      }),
    );
    const policies = new Policies([...rules].sort(() => roll(3) - 1));
    for (let at = 0; at < 30; at++) {
      const who = subject({
        tag: some(["NP-001", "np-002", "HO-1"]),
        site: some(["North Pier", "Sandsay", null]),
        form: some(["desktop", "server", null]),
        model: some(["Block 9", "slate 14"]),
      });
      const { values, from } = policies.of(who);
      expect(values).toEqual(plainly(rules, who));
      // What a value is from says that value, or nobody said anything.
      for (const key of POLICY_KEYS) expect(from[key]?.values[key] ?? values[key]).toEqual(values[key]);
    }
  }
});

test("minutes between places at random: no way is shorter than the table says, and each is one that there is", () => {
  const roll = dice(62);
  for (let run = 0; run < 30; run++) {
    const places = 2 + roll(6);
    const legs = Array.from({ length: roll(10) }, () => {
      return { from: roll(places), to: roll(places), minutes: 5 + roll(60) };
    });
    const table = travelTable(places, legs);
    /** The shortest of all ways that come to no place twice. */
    const least = (from: number, to: number, been: readonly number[]): number => {
      if (from === to) return 0;
      return Math.min(
        Number.POSITIVE_INFINITY,
        ...legs.flatMap(({ from: a, to: b, minutes }) => {
          const next = a === from ? b : b === from ? a : null;
          return next === null || been.includes(next) ? [] : [minutes + least(next, to, [...been, next])];
        }),
      );
    };
    for (let from = 0; from < places; from++)
      for (let to = 0; to < places; to++) {
        const expected = least(from, to, [from]);
        expect([from, to, table[from]?.[to]]).toEqual([from, to, Number.isFinite(expected) ? expected : null]);
      }
  }
});
