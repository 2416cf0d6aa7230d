import { greedyPlan, lacking, leastByForce, randomProblem } from "../../../test/support/cover";
import { dice } from "../../../test/support/dice";
import { Solver } from "../../server/cover/solver";
import { type CoverModel, modelOf } from "./model";
import { type CoverContent, type CoverMedium, type CoverPlan, type CoverProblem, canHold } from "./problem";
import { type SolveOptions, solveCover } from "./solve";
import { simpleStart } from "./start";

let solver: Solver;
beforeAll(() => {
  solver = new Solver();
});
afterAll(() => solver.close());
const solved = (problem: CoverProblem, more: Partial<SolveOptions> = {}) =>
  solveCover(problem, { solve: solver.solve, seconds: 30, ...more });

/** What a plan does must be possible, cost what it says, and lack what it says. */
function check(problem: CoverProblem, plan: CoverPlan): void {
  const used = plan.acts.flatMap((act) => (act.act === "buy" ? [] : [act.medium]));
  expect(new Set(used).size).toBe(used.length);
  for (const act of plan.acts) {
    if (act.act === "buy") {
      expect(problem.contents[act.content]?.price).not.toBeNull();
      expect(problem.noPurchase ?? []).not.toContain(act.site);
      continue;
    }
    const medium = problem.media[act.medium] as CoverMedium;
    if (act.act !== "rewrite") expect(act.content).toBe(medium.content);
    if (act.act === "rewrite") expect(canHold(medium, problem.contents[act.content] as CoverContent)).toBe(true);
    if (act.act === "rewrite") expect(medium.mayBeRewritten).toBe(true);
    if (act.site !== medium.site) expect(medium.mayMove).toBe(true);
    if (act.act !== "keep") expect(medium.isPinned).toBe(false);
  }
  expect(plan.cost).toBeCloseTo(
    plan.acts.reduce((sum, { cost }) => sum + cost, 0),
    6,
  );
  const lacks = lacking(problem, plan.acts);
  expect(lacks.reduce((sum, each) => sum + each, 0)).toBe(plan.unmet.reduce((sum, each) => sum + each.lacking, 0));
}

test("small problems at random cost what trying everything finds, and never more than a greedy plan", async () => {
  const roll = dice(81);
  let [greedy, least] = [0, 0];
  for (let run = 0; run < 150; run++) {
    const problem = randomProblem(roll, {
      sites: 1 + roll(3),
      contents: 1 + roll(3),
      media: roll(4),
      demands: 1 + roll(4),
    });
    // Every other one as if it were large: first with what is worth carrying, then whole.
    const plan = await solved(problem, run % 2 === 0 ? {} : { carriedFew: 0 });
    check(problem, plan);
    const unmet = plan.unmet.reduce((sum, each) => sum + each.lacking, 0);
    const force = leastByForce(problem);
    expect({ run, unmet, cost: Math.round(plan.cost * 1e4) }).toEqual({
      ...{ run, unmet: force.unmet, cost: Math.round(force.cost * 1e4) },
    });
    expect(plan.isLeast).toBe(true);
    const simple = greedyPlan(problem);
    expect(simple.unmet).toBeGreaterThanOrEqual(unmet);
    if (simple.unmet === unmet) {
      expect(plan.cost).toBeLessThanOrEqual(simple.cost + 1e-6);
      greedy += simple.cost;
      least += plan.cost;
    }
  }
  expect(least).toBeLessThan(greedy);
});

test("larger problems: possible, true to what they say, and never above a greedy plan", async () => {
  const roll = dice(82);
  for (let run = 0; run < 12; run++) {
    const problem = randomProblem(roll, { sites: 8, contents: 8, media: 25, demands: 40 });
    const plan = await solved(problem);
    check(problem, plan);
    expect(plan.bound).toBeLessThanOrEqual(plan.cost + 1e-6);
    const simple = greedyPlan(problem);
    const unmet = plan.unmet.reduce((sum, each) => sum + each.lacking, 0);
    expect(simple.unmet).toBeGreaterThanOrEqual(unmet);
    if (simple.unmet === unmet) expect(plan.cost).toBeLessThanOrEqual(simple.cost + 1e-6);
  }
});

/** What a model's rows come to with some values: by how much each is missed. */
function missedBy({ data }: CoverModel, values: Float64Array): number[] {
  const {
    starts = [],
    indices = [],
    values: by = [],
  } = data.matrix as { [part in "starts" | "indices" | "values"]: readonly number[] };
  return Array.from({ length: data.numRows ?? 0 }, (_, row) => {
    let sum = 0;
    for (let at = starts[row] as number; at < (starts[row + 1] as number); at++)
      sum += (by[at] as number) * (values[indices[at] as number] as number);
    return Math.max(0, (data.rowLower?.[row] ?? 0) - sum, sum - (data.rowUpper?.[row] ?? 0));
  });
}

test("what is begun with is possible always, so that a plan is there however soon the time is over", async () => {
  const roll = dice(84);
  let dearer = 0;
  for (let run = 0; run < 60; run++) {
    const problem = randomProblem(roll, { sites: 1 + roll(5), contents: 4, media: roll(12), demands: 1 + roll(12) });
    const model = modelOf(problem);
    const values = simpleStart(problem, model);
    expect(Math.max(0, ...missedBy(model, values))).toBe(0);
    for (const [at, value] of values.entries()) expect(value).toBeLessThanOrEqual(model.data.colUpper?.[at] ?? 0);
    const none = await solved(problem, { solve: async () => ({ values: null, isSolved: false, bound: 0 }) });
    check(problem, none);
    expect(none).toMatchObject({ bound: 0, isLeast: model.columns.length === 0 });
    const least = await solved(problem);
    expect(none.cost + 1e-6).toBeGreaterThanOrEqual(least.unmet.length < none.unmet.length ? 0 : least.cost);
    if (none.cost > least.cost + 1e-6) dearer++;
  }
  expect(dearer).toBeGreaterThan(0);
});

const RATES = { workHour: 30, travelHour: 30, purchase: 1 };
const content = (more: Partial<CoverContent> = {}): CoverContent => ({
  ...{ device: "stick", neededBytes: 4e9, price: 9, workMinutes: 20 },
  ...more,
});
const medium = (more: Partial<CoverMedium> = {}): CoverMedium => ({
  ...{ site: 0, content: 0, device: "stick", bytes: 8e9, mayBeRewritten: true, mayMove: true, isPinned: false },
  ...{ proofMinutes: 0 },
  ...more,
});

test("a medium that no one needs where it is goes where it is cheaper than a new one", async () => {
  const problem: CoverProblem = {
    travel: [
      [0, 10],
      [10, 0],
    ],
    contents: [content()],
    media: [medium()],
    demands: [{ site: 1, withinMinutes: 0, routes: 1, servedBy: [0] }],
    rates: RATES,
  };
  // Ten minutes there and ten back, at 30 an hour.
  expect(await solved(problem)).toMatchObject({ acts: [{ act: "move", medium: 0, site: 1, cost: 10 }], isLeast: true });
  const pinned = { ...problem, media: [medium({ isPinned: true })] };
  // A stick for 9, and 20 minutes of work for 10.
  expect((await solved(pinned)).acts).toContainEqual({ act: "buy", content: 0, site: 1, cost: 19 });
});

test("one medium that serves two kinds of computers beats two; where it is too large for what there is, it is bought", async () => {
  const problem: CoverProblem = {
    travel: [[0]],
    contents: [content(), content(), content({ neededBytes: 12e9, price: 15 })],
    media: [medium({ content: null }), medium({ content: null })],
    demands: [
      { site: 0, withinMinutes: 0, routes: 1, servedBy: [0, 2] },
      { site: 0, withinMinutes: 0, routes: 1, servedBy: [1, 2] },
    ],
    rates: { ...RATES, workHour: 60 },
  };
  // Two writings of 20 each, against one purchase for 15 and 20.
  expect((await solved(problem)).acts).toEqual([{ act: "buy", content: 2, site: 0, cost: 35 }]);
});

test("what cannot be had is said, and the rest is planned all the same", async () => {
  const problem: CoverProblem = {
    travel: [[0]],
    contents: [content({ neededBytes: null, price: null }), content()],
    media: [],
    demands: [
      { site: 0, withinMinutes: null, routes: 2, servedBy: [0] },
      { site: 0, withinMinutes: null, routes: 1, servedBy: [1] },
      { site: 0, withinMinutes: null, routes: 1, servedBy: [] },
    ],
    rates: RATES,
  };
  const plan = await solved(problem);
  expect(plan.acts).toEqual([{ act: "buy", content: 1, site: 0, cost: 19 }]);
  expect(plan.unmet).toEqual([
    { demand: 0, lacking: 2 },
    { demand: 2, lacking: 1 },
  ]);
  expect((await solved({ ...problem, noPurchase: [0] })).unmet).toHaveLength(3);
});

test("nothing to do costs nothing", async () => {
  expect(await solved({ travel: [], contents: [], media: [], demands: [], rates: RATES })).toEqual({
    ...{ acts: [], cost: 0, bound: 0, unmet: [], isLeast: true },
  });
});
