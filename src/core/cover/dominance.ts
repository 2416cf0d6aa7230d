import { itemAt } from "../kernel/item-at";
import { type CoverDemand, type CoverProblem, isWithin, purchaseCost, writingCost } from "./problem";

function isSubset<T>(some: ReadonlySet<T>, of: ReadonlySet<T>): boolean {
  if (some.size > of.size) return false;
  for (const member of some) if (!of.has(member)) return false;
  return true;
}

/** A demand that decides, and whether purchases alone can meet it. */
export interface DecidingDemand extends CoverDemand {
  isSure: boolean;
}

/**
 * Demands that decide, by their position: another one that asks for as many, of fewer contents, from fewer places,
 * implies the others. Only what can surely be met implies anything.
 */
export function demandsThatDecide(problem: CoverProblem): Map<number, DecidingDemand> {
  const forbidden = new Set(problem.noPurchase ?? []);
  const all = problem.demands.flatMap((demand, at) => {
    if (demand.routes <= 0) return [];
    const reach = new Set(problem.travel.flatMap((_, site) => (isWithin(problem, demand, site) ? [site] : [])));
    const isSure = demand.servedBy.some(
      (content) => purchaseCost(problem, content) !== null && [...reach].some((site) => !forbidden.has(site)),
    );
    return [{ at, demand, reach, served: new Set(demand.servedBy), isSure }];
  });
  // Those that imply most come first; of equal ones the first stays.
  all.sort(
    (a, b) =>
      a.served.size - b.served.size || b.demand.routes - a.demand.routes || a.reach.size - b.reach.size || a.at - b.at,
  );
  const deciding: typeof all = [];
  for (const column of all) {
    const isImplied = deciding.some(
      (other) =>
        other.isSure &&
        other.demand.routes >= column.demand.routes &&
        isSubset(other.served, column.served) &&
        isSubset(other.reach, column.reach),
    );
    if (!isImplied) deciding.push(column);
  }
  return new Map(deciding.sort((a, b) => a.at - b.at).map(({ at, demand, isSure }) => [at, { ...demand, isSure }]));
}

/**
 * What it costs at most to have as much of what a content gives at a place, by buying: the content itself or another
 * one that serves all that it serves. Infinite where none is to be had.
 */
export function replacementCosts(problem: CoverProblem, demands: ReadonlyMap<number, CoverDemand>): number[] {
  const serves = servedOf(problem, demands);
  return problem.contents.map((_, at) =>
    problem.contents.reduce((least, __, other) => {
      const cost = purchaseCost(problem, other);
      const isEnough = isSubset(itemAt(serves, at), itemAt(serves, other));
      return cost !== null && isEnough ? Math.min(least, cost) : least;
    }, Number.POSITIVE_INFINITY),
  );
}

function servedOf({ contents }: CoverProblem, demands: ReadonlyMap<number, CoverDemand>): Set<number>[] {
  const serves = contents.map(() => new Set<number>());
  for (const [at, { servedBy }] of demands) for (const content of servedBy) serves[content]?.add(at);
  return serves;
}

/** Contents worth making: no other one serves all that it serves, on as small a medium, for as little. */
export function contentsWorthMaking(problem: CoverProblem, demands: ReadonlyMap<number, CoverDemand>): number[] {
  const serves = servedOf(problem, demands);
  const made = problem.contents.flatMap((content, at) =>
    content.neededBytes !== null && (serves[at]?.size ?? 0) > 0 ? [at] : [],
  );
  return made.filter((at) => !made.some((other) => other !== at && isDominated(problem, serves, at, other)));
}

function isDominated(problem: CoverProblem, serves: Set<number>[], at: number, by: number): boolean {
  const [own, other] = [itemAt(problem.contents, at), itemAt(problem.contents, by)];
  const [mine, theirs] = [itemAt(serves, at), itemAt(serves, by)];
  if (own.device !== other.device || !isSubset(mine, theirs)) return false;
  const [bought, boughtOther] = [purchaseCost(problem, at), purchaseCost(problem, by)];
  const isNoDearer =
    (bought === null || (boughtOther !== null && boughtOther <= bought)) &&
    writingCost(problem, by) <= writingCost(problem, at) &&
    (other.neededBytes as number) <= (own.neededBytes as number);
  if (!isNoDearer) return false;
  // Of two that are alike in all, the first stays.
  const isAlike =
    mine.size === theirs.size &&
    bought === boughtOther &&
    writingCost(problem, by) === writingCost(problem, at) &&
    other.neededBytes === own.neededBytes;
  return !isAlike || by < at;
}
