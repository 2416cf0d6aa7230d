import { leastByForce, randomProblem } from "../../../test/support/cover";
import { dice } from "../../../test/support/dice";
import { Solver } from "../../server/cover/solver";
import { contentsWorthMaking, demandsThatDecide } from "./dominance";
import { partsOf } from "./parts";
import type { CoverContent, CoverDemand, CoverProblem } from "./problem";
import { solveCover } from "./solve";

let solver: Solver;
beforeAll(() => {
  solver = new Solver();
});
afterAll(() => solver.close());

/** Two problems as one, with nothing carried between their places; contents are those of the first. */
function beside(a: CoverProblem, b: CoverProblem): CoverProblem {
  const [first, second] = [a.travel.length, b.travel.length];
  const moved = <T extends { site: number }>(all: readonly T[]) =>
    all.map((each) => ({ ...each, site: each.site + first }));
  return {
    ...a,
    travel: [
      ...a.travel.map((row) => [...row, ...Array.from({ length: second }, () => null)]),
      ...b.travel.map((row) => [...Array.from({ length: first }, () => null), ...row]),
    ],
    media: [...a.media, ...moved(b.media)],
    demands: [...a.demands, ...moved(b.demands)],
    noPurchase: [...(a.noPurchase ?? []), ...(b.noPurchase ?? []).map((site) => site + first)],
  };
}

test("places between which nothing is carried are planned by themselves, and together cost what each costs", async () => {
  const roll = dice(83);
  for (let run = 0; run < 30; run++) {
    const wish = { sites: 1 + roll(2), contents: 3, media: roll(3), demands: 1 + roll(3) };
    const a = randomProblem(roll, wish);
    const b = { ...randomProblem(roll, wish), contents: a.contents, rates: a.rates };
    const whole = beside(a, b);
    const parts = partsOf(whole);
    expect(parts.flatMap(({ sites }) => sites).sort()).toEqual([...whole.travel.keys()]);
    expect(parts.flatMap(({ media }) => media).sort()).toEqual([...whole.media.keys()]);
    expect(parts.flatMap(({ demands }) => demands).sort()).toEqual([...whole.demands.keys()]);
    const told: string[] = [];
    const plan = await solveCover(whole, {
      ...{ solve: solver.solve, seconds: 20 },
      onPart: (done, of) => void told.push(`${done} of ${of}`),
    });
    expect(told).toEqual(parts.map((_, nth) => `${nth + 1} of ${parts.length}`));
    const [one, other] = [leastByForce(a), leastByForce(b)];
    expect(plan.unmet.reduce((sum, { lacking }) => sum + lacking, 0)).toBe(one.unmet + other.unmet);
    expect(plan.cost).toBeCloseTo(one.cost + other.cost, 4);
    // What is carried stays within its part.
    for (const act of plan.acts)
      if (act.act === "move" || act.act === "rewrite")
        expect(act.from < a.travel.length).toBe(act.site < a.travel.length);
  }
});

const CONTENT: CoverContent = { device: "stick", neededBytes: 2e9, price: 8, workMinutes: 20 };
const problem = (more: Partial<CoverProblem>): CoverProblem => ({
  travel: [
    [0, 20],
    [20, 0],
  ],
  ...{ contents: [CONTENT, CONTENT, CONTENT], media: [], demands: [] },
  rates: { workHour: 30, travelHour: 30, purchase: 1 },
  ...more,
});
const demand = (more: Partial<CoverDemand>): CoverDemand => ({
  ...{ site: 0, withinMinutes: 0, routes: 1, servedBy: [0, 1] },
  ...more,
});

test.each<[string, CoverDemand[], number[]]>([
  ["of two that are the same one decides", [demand({}), demand({})], [0]],
  ["fewer contents decide", [demand({}), demand({ servedBy: [1] })], [1]],
  ["more routes decide", [demand({}), demand({ routes: 2 })], [1]],
  ["more routes of more contents do not", [demand({ servedBy: [0] }), demand({ routes: 2 })], [0, 1]],
  ["a narrower reach decides", [demand({ withinMinutes: 30 }), demand({})], [1]],
  ["other places decide by themselves", [demand({}), demand({ site: 1 })], [0, 1]],
  ["nothing asked decides nothing", [demand({ routes: 0 })], []],
  // Nothing can be had for the second: it must not stand for the first.
  ["what cannot be met implies nothing", [demand({ servedBy: [0, 3] }), demand({ servedBy: [3] })], [0, 1]],
])("%s", (_, demands, deciding) => {
  const unmakeable = { ...CONTENT, neededBytes: null, price: null };
  const all = problem({ contents: [CONTENT, CONTENT, CONTENT, unmakeable], demands });
  expect([...demandsThatDecide(all).keys()]).toEqual(deciding);
});

test("where nothing is bought only what is there meets a demand: it implies nothing", () => {
  const demands = [demand({}), demand({ servedBy: [1] })];
  expect([...demandsThatDecide(problem({ demands, noPurchase: [0] })).keys()]).toEqual([0, 1]);
});

test.each<[string, Partial<CoverContent>[], number[]]>([
  ["of two that are alike the first is made", [{}, {}], [0]],
  ["the cheaper one is made", [{ price: 9 }, {}], [1]],
  ["the smaller one is made", [{ neededBytes: 4e9 }, {}], [1]],
  ["a cheaper one that is larger leaves both", [{ price: 7, neededBytes: 4e9 }, {}], [0, 1]],
  [
    "one that is not to be bought does not take the place of one that is",
    [{}, { price: null, workMinutes: 5 }],
    [0, 1],
  ],
  ["a disc does not take the place of a stick", [{}, { device: "disc", price: 1 }], [0, 1]],
  ["what is not made any more is not made", [{ neededBytes: null }, {}], [1]],
])("%s", (_, [a, b], made) => {
  const contents = [
    { ...CONTENT, ...a },
    { ...CONTENT, ...b },
  ];
  const all = problem({ contents, demands: [demand({})] });
  expect(contentsWorthMaking(all, demandsThatDecide(all))).toEqual(made);
});
