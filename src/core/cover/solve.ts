import type { ModelData } from "highs";
import { actsOf, modelOf } from "./model";
import { partsOf } from "./parts";
import type { CoverAct, CoverPlan, CoverProblem } from "./problem";

/** An integer program to be solved in so many seconds, from values to begin with where there are some. */
export interface Program {
  data: ModelData;
  seconds: number;
  start: Float64Array | null;
}

export interface Solved {
  values: Float64Array;
  /** Proven to be best; else the best that was found. */
  isSolved: boolean;
  /** Nothing can cost less. */
  bound: number;
}

export interface SolveOptions {
  /** Branch and cut, by HiGHS. */
  solve: (program: Program) => Promise<Solved>;
  /** Seconds for all of it. */
  seconds: number;
  /** Told after each part: how many of how many are done. */
  onPart?: (done: number, of: number) => Promise<void> | void;
}

/**
 * The plan that costs least, by integer programming, each part of the places that depends on no other by itself. Where
 * time runs out, the best that was found, and what none can be below.
 */
export async function solveCover(problem: CoverProblem, options: SolveOptions): Promise<CoverPlan> {
  const parts = partsOf(problem).sort((a, b) => a.problem.demands.length - b.problem.demands.length);
  const until = performance.now() + options.seconds * 1000;
  const plan: CoverPlan = { acts: [], cost: 0, bound: 0, unmet: [], isLeast: true };
  for (const [nth, part] of parts.entries()) {
    const left = (until - performance.now()) / 1000;
    // The larger ones come last, and may take what the smaller ones left.
    const own = await solvePart(part.problem, Math.max(0.2, nth === parts.length - 1 ? left : left / 2), options);
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
    await options.onPart?.(nth + 1, parts.length);
  }
  return plan;
}

/** So much of the time goes to a first plan in which nothing is carried: from it the whole is begun. */
const FIRST_SHARE = 0.3;
/** Fewer ways to carry than this are no burden, and need no first plan. */
const CARRIED_FEW = 500;

async function solvePart(problem: CoverProblem, seconds: number, { solve }: SolveOptions): Promise<CoverPlan> {
  const { data, columns, ...built } = modelOf(problem);
  if (columns.length === 0) return { acts: [], cost: 0, bound: 0, unmet: [], isLeast: true };
  const startedAt = performance.now();
  const carries = columns.map(({ kind }) => kind === "move" || kind === "carry");
  const isLarge = carries.filter(Boolean).length > CARRIED_FEW;
  const first = isLarge
    ? await solve({ data: withoutCarrying(data, carries), seconds: seconds * FIRST_SHARE, start: null })
    : null;
  const left = Math.max(0.2, seconds - (performance.now() - startedAt) / 1000);
  const { values, isSolved, bound } = await solve({ data, seconds: left, start: first?.values ?? null });
  const { acts, unmet } = actsOf(problem, { data, columns, ...built }, values);
  const cost = acts.reduce((sum, act) => sum + act.cost, 0);
  const lacking = unmet.reduce((sum, each) => sum + each.lacking, 0) * built.penalty;
  return { acts, unmet, cost, bound: isSolved ? cost : Math.max(0, bound - lacking), isLeast: isSolved };
}

function withoutCarrying(data: ModelData, carries: readonly boolean[]): ModelData {
  return { ...data, colUpper: Array.from(data.colUpper, (upper, at) => (carries[at] ? 0 : upper)) };
}
