import { dice } from "../../../test/support/dice";
import { lineagesOf, type StoredPoint } from "./lineage";
import { breaksLineage, periodOf, type RetainedPoint, type RetentionPolicy, rehearseRetention } from "./retention";

const WHOLE = { on: "2026-01-01", whole: true };
function point(id: string, more: Partial<RetainedPoint> = {}): RetainedPoint {
  return {
    ...{
      id,
      computer: "HO-001",
      takenAt: `2026-${id}T18:00:00.000Z`,
      kind: "full",
      parent: null,
      verified: WHOLE,
      isThere: true,
    },
    ...{ locked: false, storedBytes: 10 },
    ...more,
  };
}
const onto = (id: string, parent: string, more: Partial<RetainedPoint> = {}) =>
  point(id, { kind: "incremental", parent, ...more });

describe("lineage", () => {
  const told = (points: StoredPoint[], id: string) => {
    const { parts, state, problems } = lineagesOf(points).get(id) ?? { parts: [], state: "", problems: [] };
    return [state, parts.join(" "), problems.map(({ code }) => code).join(" ")];
  };

  test.each<[string, RetainedPoint[], string[]]>([
    ["whole", [point("01-01"), onto("01-02", "01-01")], ["usable", "01-02 01-01", ""]],
    ["a gap", [onto("01-02", "01-01")], ["unusable", "01-02", "parent-unknown"]],
    ["no parent told", [onto("01-02", "01-01", { parent: null })], ["unusable", "01-02", "parent-unknown"]],
    [
      "a part that is missing",
      [point("01-01", { isThere: false }), onto("01-02", "01-01")],
      ["unusable", "01-02 01-01", "part-missing"],
    ],
    [
      "a part that was never verified",
      [point("01-01", { verified: null }), onto("01-02", "01-01")],
      ["unsure", "01-02 01-01", "part-unverified"],
    ],
    [
      "a part that is damaged",
      [point("01-01", { verified: { on: "2026-02-01", whole: false } }), onto("01-02", "01-01")],
      ["unusable", "01-02 01-01", "part-damaged"],
    ],
    ["a circle", [onto("01-01", "01-02"), onto("01-02", "01-01")], ["unusable", "01-02 01-01", "circle"]],
    [
      "another computer's",
      [point("01-01", { computer: "HO-002" }), onto("01-02", "01-01")],
      ["unusable", "01-02 01-01", "other-computer"],
    ],
  ])("%s", (_what, points, expected) => {
    expect(told(points, "01-02")).toEqual(expected);
  });
});

test.each([
  // ISO 8601: the week with the year's first Thursday is its first.
  ["2026-01-01", "2026-W01"],
  ["2027-01-01", "2026-W53"],
  ["2024-12-30", "2025-W01"],
  ["2026-11-26", "2026-W48"],
])("%s is in the week %s", (day, week) => {
  expect(periodOf(`${day}T12:00:00Z`, "weekly")).toBe(week);
});

const NONE: RetentionPolicy = { daily: 0, weekly: 0, monthly: 0, yearly: 0 };
const kept = (points: RetainedPoint[], policy: Partial<RetentionPolicy>) =>
  rehearseRetention(points, { ...NONE, ...policy }).keep.map(({ id }) => id);

test("the last verified point of a computer never goes, nor what it builds on", () => {
  const points = [point("01-01"), onto("01-02", "01-01"), onto("01-03", "01-02", { verified: null })];
  expect(kept(points, {})).toEqual(["01-01", "01-02"]);
  const rehearsal = rehearseRetention(points, NONE);
  expect(rehearsal).toMatchObject({ go: [{ id: "01-03" }], bytesBack: 10 });
  expect(rehearsal.keep[0]?.because).toEqual([{ code: "needed-by", point: "01-02" }]);
});

test("of a day the last one stays that is usable", () => {
  const points = [
    point("a", { takenAt: "2026-01-05T08:00:00Z" }),
    point("b", { takenAt: "2026-01-05T18:00:00Z", verified: { on: "2026-01-06", whole: false } }),
    point("c", { takenAt: "2026-01-06T18:00:00Z" }),
  ];
  expect(kept(points, { daily: 2 })).toEqual(["a", "c"]);
});

test("against a plain reading of the rules, on random histories", () => {
  for (let seed = 1; seed <= 400; seed++) {
    const roll = dice(seed);
    const points = Array.from({ length: 2 + roll(14) }, (_, at): RetainedPoint => {
      const day = new Date(Date.UTC(2025, roll(14), 1 + roll(28), roll(24))).toISOString();
      const parent = at > 0 && roll(3) > 0 ? `p${roll(at)}` : roll(12) === 0 ? "gone" : null;
      return {
        id: `p${at}`,
        computer: roll(4) === 0 ? "B" : "A",
        takenAt: day,
        kind: parent === null ? "full" : "incremental",
        parent,
        verified: roll(4) === 0 ? null : { on: "2026-01-01", whole: roll(6) > 0 },
        isThere: roll(10) > 0,
        locked: roll(12) === 0,
        storedBytes: roll(5) === 0 ? null : roll(1000),
      };
    });
    const policy = { daily: roll(4), weekly: roll(3), monthly: roll(4), yearly: roll(3) };
    const wanted = plainly(points, policy);
    const { keep, go, bytesBack } = rehearseRetention(points, policy);
    expect([seed, keep.map(({ id }) => id).sort()]).toEqual([seed, [...wanted].sort()]);
    expect(keep.length + go.length).toBe(points.length);
    const gone = new Set(go.map(({ id }) => id));
    expect(breaksLineage(points, gone).filter((id) => wanted.has(id))).toEqual([]);
    expect(bytesBack).toBe(
      points.filter(({ id }) => gone.has(id)).reduce((sum, each) => sum + (each.storedBytes ?? 0), 0),
    );
  }
});

/** Who stays, by the sentences of the rules alone. */
function plainly(points: RetainedPoint[], policy: RetentionPolicy): Set<string> {
  const byId = new Map(points.map((each) => [each.id, each]));
  const back = (each: RetainedPoint, seen: string[] = []): RetainedPoint[] | null => {
    if (seen.includes(each.id) || !each.isThere || each.verified?.whole === false) return null;
    if (each.kind === "full") return [each];
    const parent = byId.get(each.parent ?? "");
    if (!parent || parent.computer !== each.computer || parent.takenAt > each.takenAt) return null;
    const rest = back(parent, [...seen, each.id]);
    return rest && [each, ...rest];
  };
  const level = (each: RetainedPoint) => {
    const parts = back(each);
    return parts === null ? 0 : parts.every(({ verified }) => verified !== null) ? 2 : 1;
  };
  const stay = new Set<string>();
  const byTime = (a: RetainedPoint, b: RetainedPoint) => (a.takenAt + a.id < b.takenAt + b.id ? 1 : -1);
  for (const computer of new Set(points.map((each) => each.computer))) {
    const own = points.filter((each) => each.computer === computer && level(each) > 0).sort(byTime);
    const lastOf = (some: RetainedPoint[]) => some.find((each) => level(each) === 2) ?? some[0];
    for (const code of ["daily", "weekly", "monthly", "yearly"] as const) {
      const periods = [...new Set(own.map(({ takenAt }) => periodOf(takenAt, code)))].slice(0, policy[code]);
      for (const period of periods)
        stay.add(lastOf(own.filter(({ takenAt }) => periodOf(takenAt, code) === period))?.id ?? "");
    }
    const last = lastOf(own);
    if (last) stay.add(last.id);
  }
  for (const { id, locked } of points) if (locked) stay.add(id);
  // What they build on, as far as it is known.
  for (const id of [...stay])
    for (let each = byId.get(id), steps = 0; each && each.kind !== "full" && steps < 50; steps++) {
      each = byId.get(each.parent ?? "");
      if (each) stay.add(each.id);
    }
  stay.delete("");
  return stay;
}
