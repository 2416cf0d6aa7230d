import {
  type CoverContent,
  type CoverDemand,
  type CoverMedium,
  type CoverProblem,
  canHold,
  carryingCost,
  isWithin,
  proofCost,
  purchaseCost,
  writingCost,
} from "@/core/cover/problem";

/** What stands where, and what it cost to have it there. */
interface Standing {
  content: number;
  site: number;
}

export interface Worth {
  unmet: number;
  cost: number;
}

const isBetter = (a: Worth, b: Worth) => a.unmet < b.unmet || (a.unmet === b.unmet && a.cost < b.cost - 1e-9);

/** Routes that each demand lacks, with so much standing. */
export function lacking(problem: CoverProblem, standing: readonly Standing[]): number[] {
  return problem.demands.map((demand) =>
    Math.max(0, demand.routes - standing.filter((each) => serves(problem, demand, each)).length),
  );
}

function serves(problem: CoverProblem, demand: CoverDemand, { content, site }: Standing): boolean {
  return demand.servedBy.includes(content) && isWithin(problem, demand, site);
}

/** Everything that can be done with a medium, and what it costs. */
function optionsOf(problem: CoverProblem, medium: CoverMedium): { standing: Standing | null; cost: number }[] {
  const { content, site, isPinned, mayMove, mayBeRewritten } = medium;
  const options: { standing: Standing | null; cost: number }[] = [{ standing: null, cost: 0 }];
  if (content !== null) options.push({ standing: { content, site }, cost: proofCost(problem, medium) });
  if (isPinned) return options;
  for (const to of problem.travel.keys()) {
    const carrying = to === site || mayMove ? carryingCost(problem, site, to) : null;
    if (carrying === null) continue;
    if (content !== null && to !== site)
      options.push({ standing: { content, site: to }, cost: carrying + proofCost(problem, medium) });
    if (!mayBeRewritten) continue;
    for (const [made, each] of problem.contents.entries())
      if (canHold(medium, each as CoverContent))
        options.push({ standing: { content: made, site: to }, cost: carrying + writingCost(problem, made) });
  }
  return options;
}

/** The least that purchases cost which give what is lacking, tried in every way. */
function leastPurchases(problem: CoverProblem, demands: readonly number[], known: Map<string, Worth>): Worth {
  const key = demands.join(" ");
  const before = known.get(key);
  if (before) return before;
  const choices: { standing: Standing; cost: number }[] = [];
  let open = -1;
  for (const [at, lacks] of demands.entries()) {
    if (lacks === 0 || open >= 0) continue;
    const demand = problem.demands[at] as CoverDemand;
    for (const content of demand.servedBy)
      for (const site of problem.travel.keys()) {
        const cost = problem.noPurchase?.includes(site) ? null : purchaseCost(problem, content);
        if (cost !== null && isWithin(problem, demand, site)) choices.push({ standing: { content, site }, cost });
      }
    if (choices.length > 0) open = at;
  }
  let best: Worth = { unmet: demands.reduce((sum, lacks) => sum + lacks, 0), cost: 0 };
  if (open >= 0)
    for (const { standing, cost } of choices) {
      const left = demands.map((lacks, at) =>
        lacks > 0 && serves(problem, problem.demands[at] as CoverDemand, standing) ? lacks - 1 : lacks,
      );
      const rest = leastPurchases(problem, left, known);
      const worth = { unmet: rest.unmet, cost: rest.cost + cost };
      if (isBetter(worth, best)) best = worth;
    }
  known.set(key, best);
  return best;
}

/** The least that any plan costs, by trying all of them. For small problems. */
export function leastByForce(problem: CoverProblem): Worth {
  const known = new Map<string, Worth>();
  let best: Worth = { unmet: Number.POSITIVE_INFINITY, cost: 0 };
  const choose = (medium: number, standing: Standing[], cost: number): void => {
    if (medium === problem.media.length) {
      const bought = leastPurchases(problem, lacking(problem, standing), known);
      const worth = { unmet: bought.unmet, cost: cost + bought.cost };
      if (isBetter(worth, best)) best = worth;
      return;
    }
    for (const option of optionsOf(problem, problem.media[medium] as CoverMedium))
      choose(medium + 1, option.standing ? [...standing, option.standing] : standing, cost + option.cost);
  };
  choose(0, [], 0);
  return best;
}

/** A plan as somebody makes it who always takes what gives most for its cost. Media that stand right stay. */
export function greedyPlan(problem: CoverProblem): Worth {
  const standing: Standing[] = [];
  const free = new Set<number>();
  for (const [at, medium] of problem.media.entries()) {
    const { content, site, proofMinutes } = medium;
    if (content !== null && proofMinutes === 0) standing.push({ content, site });
    else free.add(at);
  }
  let cost = 0;
  for (;;) {
    const lacks = lacking(problem, standing);
    const gain = (each: Standing) =>
      problem.demands.filter((demand, at) => (lacks[at] as number) > 0 && serves(problem, demand, each)).length;
    const choices: { standing: Standing; cost: number; medium: number | null }[] = [];
    for (const at of free)
      for (const option of optionsOf(problem, problem.media[at] as CoverMedium))
        if (option.standing) choices.push({ standing: option.standing, cost: option.cost, medium: at });
    for (const content of problem.contents.keys())
      for (const site of problem.travel.keys()) {
        const price = problem.noPurchase?.includes(site) ? null : purchaseCost(problem, content);
        if (price !== null) choices.push({ standing: { content, site }, cost: price, medium: null });
      }
    const value = (each: (typeof choices)[number]) => gain(each.standing) / (each.cost + 1e-6);
    const next = choices.reduce<(typeof choices)[number] | null>(
      (top, each) => (gain(each.standing) > 0 && (top === null || value(each) > value(top)) ? each : top),
      null,
    );
    if (!next) return { unmet: lacks.reduce((sum, each) => sum + each, 0), cost };
    standing.push(next.standing);
    cost += next.cost;
    if (next.medium !== null) free.delete(next.medium);
  }
}

interface Wish {
  sites: number;
  contents: number;
  media: number;
  demands: number;
}

/** A problem at random: places with times between most of them, contents of several sizes, media of all conditions. */
export function randomProblem(roll: (n: number) => number, { sites, contents, media, demands }: Wish): CoverProblem {
  const some = <T>(of: readonly T[]): T => of[roll(of.length)] as T;
  const travel: (number | null)[][] = Array.from({ length: sites }, (_, from) =>
    Array.from({ length: sites }, (_, to) => (from === to ? 0 : null)),
  );
  for (let from = 0; from < sites; from++)
    for (let to = 0; to < from; to++)
      if (roll(5) > 0) {
        const minutes = 10 + roll(12) * 10;
        (travel[from] as (number | null)[])[to] = minutes;
        (travel[to] as (number | null)[])[from] = minutes;
      }
  // A way over a third place is a way.
  for (let by = 0; by < sites; by++)
    for (let from = 0; from < sites; from++)
      for (let to = 0; to < sites; to++) {
        const [first, second] = [travel[from]?.[by] ?? null, travel[by]?.[to] ?? null];
        const known = travel[from]?.[to] ?? null;
        if (first !== null && second !== null && (known === null || first + second < known))
          (travel[from] as (number | null)[])[to] = first + second;
      }
  return {
    travel,
    contents: Array.from({ length: contents }, () => ({
      device: roll(5) === 0 ? ("disc" as const) : ("stick" as const),
      neededBytes: roll(8) === 0 ? null : (1 + roll(30)) * 1e9,
      price: roll(8) === 0 ? null : 4 + roll(20),
      workMinutes: 10 + roll(5) * 10,
    })),
    media: Array.from({ length: media }, () => ({
      site: roll(sites),
      content: roll(3) === 0 ? null : roll(contents),
      device: roll(5) === 0 ? ("disc" as const) : ("stick" as const),
      bytes: some([8e9, 16e9, 32e9]),
      mayBeRewritten: roll(4) > 0,
      mayMove: roll(4) > 0,
      isPinned: roll(6) === 0,
      proofMinutes: some([0, 0, 20]),
    })),
    demands: Array.from({ length: demands }, () => ({
      site: roll(sites),
      withinMinutes: some([0, 30, 60, null]),
      routes: 1 + roll(2),
      servedBy: [...Array(contents).keys()].filter(() => roll(2) === 0),
    })),
    rates: { workHour: some([10, 40]), travelHour: some([5, 30]), purchase: 1 },
    ...(roll(3) === 0 ? { noPurchase: [roll(sites)] } : {}),
  };
}
