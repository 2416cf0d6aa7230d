import type { ModelData } from "highs";
import { itemAt } from "../kernel/item-at";
import { actsOf, type CoverModel, modelOf } from "./model";
import { partsOf } from "./parts";
import type { CoverAct, CoverPlan, CoverProblem } from "./problem";
import { simpleStart } from "./start";

/** An integer program to be solved in so many seconds, from values to begin with where there are some. */
export interface Program {
  data: ModelData;
  seconds: number;
  start: Float64Array | null;
  /** Parts of things may be counted: solved in no time, and tells what is worth looking at. */
  isRelaxed?: boolean;
}

export interface Solved {
  /** Null: nothing that is possible was found. */
  values: Float64Array | null;
  /** Proven to be best; else the best that was found. */
  isSolved: boolean;
  /** Nothing can cost less. */
  bound: number;
  /** Of a relaxed program: by how much one of each would miss being worth it. */
  reducedCosts?: Float64Array | null;
}

export interface SolveOptions {
  /** Branch and cut, by HiGHS. */
  solve: (program: Program) => Promise<Solved>;
  /** Seconds for all of it. */
  seconds: number;
  /** With no more ways to carry than these, a problem is solved as it is. */
  carriedFew?: number;
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
    const solved = await solvePart(part.problem, Math.max(0.2, nth === parts.length - 1 ? left : left / 2), options);
    for (const act of solved.acts) {
      const site = itemAt(part.sites, act.site);
      if (act.act === "buy") {
        plan.acts.push({ ...act, site });
        continue;
      }
      const medium = itemAt(part.media, act.medium);
      const where: CoverAct =
        act.act === "keep" ? { ...act, site, medium } : { ...act, site, medium, from: itemAt(part.sites, act.from) };
      plan.acts.push(where);
    }
    for (const lack of solved.unmet) plan.unmet.push({ ...lack, demand: itemAt(part.demands, lack.demand) });
    plan.cost += solved.cost;
    plan.bound += solved.bound;
    plan.isLeast &&= solved.isLeast;
    await options.onPart?.(nth + 1, parts.length);
  }
  return plan;
}

/** So much of the time goes at most to a first plan that carries only what is worth it: from it the whole is begun. */
const FIRST_SHARE = 0.4;
/** Fewer ways to carry than these are no burden. */
const CARRIED_FEW = 500;

async function solvePart(
  problem: CoverProblem,
  seconds: number,
  { solve, carriedFew = CARRIED_FEW }: SolveOptions,
): Promise<CoverPlan> {
  const model = modelOf(problem);
  const { data, columns, penalty } = model;
  if (columns.length === 0) return { acts: [], cost: 0, bound: 0, unmet: [], isLeast: true };
  const startedAt = performance.now();
  const left = () => Math.max(0.2, seconds - (performance.now() - startedAt) / 1000);
  let start = simpleStart(problem, model);
  if (columns.filter(({ kind }) => kind === "move" || kind === "carry").length > carriedFew) {
    const relaxed = await solve({ data, seconds: left(), start: null, isRelaxed: true });
    const idle = idleColumns(model, relaxed);
    const first = await solve({ data: without(data, idle), seconds: left() * FIRST_SHARE, start: null });
    start = first.values ?? start;
  }
  const { values, isSolved, bound } = await solve({ data, seconds: left(), start });
  const { acts, unmet } = actsOf(problem, model, values ?? start);
  const cost = acts.reduce((sum, act) => sum + act.cost, 0);
  const lacking = unmet.reduce((sum, each) => sum + each.lacking, 0) * penalty;
  return { acts, unmet, cost, bound: isSolved ? cost : Math.max(0, bound - lacking), isLeast: isSolved };
}

/** Less than this of a thing is none of it. */
const LEAST_PART = 1e-6;
/** So many of what is written are looked at beside those that the relaxed program uses. */
const WRITTEN_BESIDE = 500;

/** What is carried or written in vain as far as the relaxed program tells; of what is written, the nearest stay. */
function idleColumns({ columns }: CoverModel, { values, reducedCosts }: Solved): Set<number> {
  const idle = new Set<number>();
  const written: number[] = [];
  for (const [at, { kind }] of columns.entries()) {
    if ((values?.[at] ?? 0) > LEAST_PART) continue;
    if (kind === "move" || kind === "carry") idle.add(at);
    if (kind === "write") written.push(at);
  }
  const cost = (at: number) => reducedCosts?.[at] ?? 0;
  for (const at of written.sort((a, b) => cost(a) - cost(b) || a - b).slice(WRITTEN_BESIDE)) idle.add(at);
  return idle;
}

function without(data: ModelData, idle: ReadonlySet<number>): ModelData {
  return { ...data, colUpper: Array.from(data.colUpper, (upper, at) => (idle.has(at) ? 0 : upper)) };
}
