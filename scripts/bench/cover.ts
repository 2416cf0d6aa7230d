import { modelOf } from "@/core/cover/model";
import { partsOf } from "@/core/cover/parts";
import type { CoverProblem } from "@/core/cover/problem";
import { solveCover } from "@/core/cover/solve";
import { Solver } from "@/server/cover/solver";
import { greedyPlan, randomProblem } from "../../test/support/cover";
import { dice } from "../../test/support/dice";

/**
 * 2,000 computers of 24 models at 50 places, 40 releases, 300 media. Every place is reached from every other one: in
 * parts the problem would be easier.
 */
function fleetProblem(seed: number): CoverProblem {
  const roll = dice(seed);
  const [SITES, MODELS, RELEASES, MEDIA, COMPUTERS] = [50, 24, 40, 300, 2000];
  const spot = Array.from({ length: SITES }, () => [roll(300), roll(300)] as const);
  const travel = spot.map(([x, y], from) =>
    spot.map(([a, b], to) => (from === to ? 0 : 15 + Math.round(Math.hypot(x - a, y - b)))),
  );
  // What releases are: repair and rescue serve many models, system files and images some.
  const serves = Array.from({ length: RELEASES }, (_, release) =>
    Array.from({ length: MODELS }, () => roll(10) < (release % 4 === 0 ? 7 : 4)),
  );
  const atSite = Array.from({ length: SITES }, () => new Set<number>());
  for (let computer = 0; computer < COMPUTERS; computer++) atSite[roll(SITES)]?.add(roll(MODELS));
  const of = (model: number, remainder: number) =>
    [...Array(RELEASES).keys()].filter((release) => release % 2 === remainder && serves[release]?.[model]);
  return {
    travel,
    contents: Array.from({ length: RELEASES }, () => {
      const neededBytes = [1.5e9, 3e9, 6e9, 14e9][roll(4)] as number;
      return {
        device: "stick" as const,
        neededBytes,
        price: neededBytes > 7e9 ? 14 : 8,
        workMinutes: 15 + roll(4) * 10,
      };
    }),
    media: Array.from({ length: MEDIA }, () => ({
      ...{ site: roll(SITES), content: roll(6) === 0 ? null : roll(RELEASES), device: "stick" as const },
      bytes: [8e9, 16e9, 32e9][roll(3)] as number,
      ...{ mayBeRewritten: roll(8) > 0, mayMove: roll(8) > 0, isPinned: false, proofMinutes: roll(3) === 0 ? 20 : 0 },
    })),
    demands: atSite.flatMap((models, site) =>
      [...models].flatMap((model) => [
        { site, withinMinutes: 60, routes: 2, servedBy: of(model, 0) },
        { site, withinMinutes: 120, routes: 1, servedBy: of(model, 1) },
      ]),
    ),
    rates: { workHour: 35, travelHour: 35, purchase: 1 },
  };
}

/** The least cover of a large fleet, within half a minute. */
export async function coverFigures(show: (what: string, milliseconds: number, note?: string) => void): Promise<void> {
  const solver = new Solver();
  for (const [seed, travelHour] of [
    ...([1, 2, 3] as const).map((each) => [each, 35] as const),
    // The hardest: what is carried costs next to nothing, so that everything may come from everywhere.
    ...([1, 2, 3] as const).map((each) => [each, 4] as const),
  ]) {
    const problem = fleetProblem(seed);
    problem.rates.travelHour = travelHour;
    const { data } = modelOf(problem);
    const start = performance.now();
    const plan = await solveCover(problem, { solve: solver.solve, seconds: 30 });
    const gap = plan.cost === 0 ? 0 : ((plan.cost - plan.bound) / plan.cost) * 100;
    show(
      `least cover: 2,000 computers, 50 places, 300 media (${seed}, ${travelHour} an hour)`,
      performance.now() - start,
      `${data.numCols} columns, ${data.numRows} rows, ${partsOf(problem).length} part, cost ${plan.cost.toFixed(0)}, ${plan.isLeast ? "proven least" : `at most ${gap.toFixed(2)} % above it`}, unmet ${plan.unmet.length}, ${(process.memoryUsage().rss / 1e6).toFixed(0)} MB`,
    );
  }
  await againstGreedy(show, solver);
  await solver.close();
}

/** How much less the least cover costs than what somebody comes to who always takes what gives most for its cost. */
async function againstGreedy(
  show: (what: string, milliseconds: number, note?: string) => void,
  solver: Solver,
): Promise<void> {
  const roll = dice(7);
  const wish = { sites: 8, contents: 8, media: 25, demands: 40 };
  const start = performance.now();
  let [least, greedy, compared] = [0, 0, 0];
  for (let run = 0; run < 60; run++) {
    const problem = randomProblem(roll, wish);
    const plan = await solveCover(problem, { solve: solver.solve, seconds: 20 });
    const simple = greedyPlan(problem);
    // What leaves more unmet is no cheaper plan of the same.
    if (simple.unmet !== plan.unmet.reduce((sum, { lacking }) => sum + lacking, 0)) continue;
    least += plan.cost;
    greedy += simple.cost;
    compared++;
  }
  const saved = ((greedy - least) / greedy) * 100;
  show(
    "least cover against a greedy plan: 60 problems, 8 places, 25 media",
    performance.now() - start,
    `${saved.toFixed(1)} % less, over the ${compared} in which both leave as much unmet`,
  );
}
