import type { Highs, ModelData } from "highs";
import { actsOf, modelOf } from "./model";
import { partsOf } from "./parts";
import type { CoverAct, CoverPlan, CoverProblem } from "./problem";

export interface SolveOptions {
  /** Seconds for all of it. */
  seconds: number;
  /** Told after each part: how many of how many are done. */
  onPart?: (done: number, of: number) => void;
}

/** HiGHS counts a plan as least when it is so near its bound; what the solver itself is exact to. */
const EXACT = 1e-6;

/**
 * The plan that costs least, by integer programming (HiGHS, branch and cut), each part of the places that depends on no
 * other by itself. Where time runs out, the best that was found, and what none can be below.
 */
export function solveCover(highs: Highs, problem: CoverProblem, { seconds, onPart }: SolveOptions): CoverPlan {
  const parts = partsOf(problem).sort((a, b) => a.problem.demands.length - b.problem.demands.length);
  const until = performance.now() + seconds * 1000;
  const plan: CoverPlan = { acts: [], cost: 0, bound: 0, unmet: [], isLeast: true };
  for (const [nth, part] of parts.entries()) {
    const left = Math.max(0.2, (until - performance.now()) / 1000 / (nth === parts.length - 1 ? 1 : 2));
    const own = solvePart(highs, part.problem, left);
    plan.acts.push(
      ...own.acts.map((act): CoverAct => {
        const site = part.sites[act.site] as number;
        if (act.act === "buy") return { ...act, site };
        const medium = part.media[act.medium] as number;
        return act.act === "keep"
          ? { ...act, site, medium }
          : { ...act, site, medium, from: part.sites[act.from] as number };
      }),
    );
    plan.unmet.push(...own.unmet.map((each) => ({ ...each, demand: part.demands[each.demand] as number })));
    plan.cost += own.cost;
    plan.bound += own.bound;
    plan.isLeast &&= own.isLeast;
    onPart?.(nth + 1, parts.length);
  }
  return plan;
}

/** So much of the time goes to a first plan in which nothing is carried: from it the whole is begun. */
const FIRST_SHARE = 0.3;
/** Fewer ways to carry than this are no burden, and need no first plan. */
const CARRIED_FEW = 500;

function solvePart(highs: Highs, problem: CoverProblem, seconds: number): CoverPlan {
  const built = modelOf(problem);
  if (built.columns.length === 0) return { acts: [], cost: 0, bound: 0, unmet: [], isLeast: true };
  const startedAt = performance.now();
  const carries = built.columns.map(({ kind }) => kind === "move" || kind === "carry");
  const isLarge = carries.filter(Boolean).length > CARRIED_FEW;
  const first = isLarge ? run(highs, withoutCarrying(built.data, carries), seconds * FIRST_SHARE, null) : null;
  const left = seconds - (performance.now() - startedAt) / 1000;
  const { values, isSolved, bound } = run(highs, built.data, left, first && first.values);
  const { acts, unmet } = actsOf(problem, built, values);
  const cost = acts.reduce((sum, act) => sum + act.cost, 0);
  const lacking = unmet.reduce((sum, each) => sum + each.lacking, 0) * built.penalty;
  return { acts, unmet, cost, bound: isSolved ? cost : Math.max(0, bound - lacking), isLeast: isSolved };
}

function withoutCarrying(data: ModelData, carries: readonly boolean[]): ModelData {
  return { ...data, colUpper: Array.from(data.colUpper, (upper, at) => (carries[at] ? 0 : upper)) };
}

/** The best that is found in so many seconds, from a plan to begin with where there is one. */
function run(
  highs: Highs,
  data: ModelData,
  seconds: number,
  start: Float64Array | null,
): { values: Float64Array; isSolved: boolean; bound: number } {
  return highs.withModel(data, (model) => {
    model.options.set({ output_flag: false, time_limit: seconds, mip_rel_gap: EXACT, mip_abs_gap: EXACT });
    if (start) model.setSolution({ colValue: start });
    model.run();
    return {
      values: model.getSolution().colValue,
      isSolved: model.getModelStatus() === highs.constants.modelStatus.optimal,
      bound: Number(model.info.get("mip_dual_bound")),
    };
  });
}
