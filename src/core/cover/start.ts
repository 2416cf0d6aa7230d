import { itemAt } from "../kernel/item-at";
import type { CoverModel } from "./model";
import { type CoverDemand, type CoverProblem, isWithin } from "./problem";

/**
 * A plan to begin with, as the values of a model's columns: everything stays as it is, and what lacks is bought where
 * it is cheapest, or left unmet. It is possible always, and seldom good.
 */
export function simpleStart(problem: CoverProblem, { columns, data, groups }: CoverModel): Float64Array {
  const values = new Float64Array(columns.length);
  const standing = new Map<string, number>();
  const add = (content: number, site: number, count: number) =>
    standing.set(`${content} ${site}`, (standing.get(`${content} ${site}`) ?? 0) + count);
  const purchases: { at: number; content: number; site: number; cost: number }[] = [];
  for (const [at, column] of columns.entries()) {
    if (column.kind === "keep") {
      const group = groups[column.group];
      if (!group || group.like.content === null) continue;
      values[at] = group.media.length;
      add(group.like.content, group.like.site, group.media.length);
    }
    if (column.kind === "buy") purchases.push({ at, ...column, cost: data.colCost?.[at] ?? 0 });
  }
  purchases.sort((a, b) => a.cost - b.cost || a.at - b.at);
  const unmet = new Map(
    columns.flatMap((column, at) => (column.kind === "unmet" ? [[column.demand, at] as const] : [])),
  );
  for (const [nth, demand] of problem.demands.entries()) {
    const lacking = demand.routes - countFor(problem, demand, standing);
    if (lacking <= 0) continue;
    const purchase = purchases.find(
      ({ content, site }) => demand.servedBy.includes(content) && isWithin(problem, demand, site),
    );
    const left = unmet.get(nth);
    if (purchase) {
      values[purchase.at] = itemAt(values, purchase.at) + lacking;
      add(purchase.content, purchase.site, lacking);
    } else if (left !== undefined) values[left] = lacking;
  }
  for (const [at, column] of columns.entries())
    if (column.kind === "supply") values[at] = standing.get(`${column.content} ${column.site}`) ?? 0;
  return values;
}

function countFor(problem: CoverProblem, demand: CoverDemand, standing: ReadonlyMap<string, number>): number {
  let count = 0;
  for (const site of problem.travel.keys())
    if (isWithin(problem, demand, site))
      for (const content of demand.servedBy) count += standing.get(`${content} ${site}`) ?? 0;
  return count;
}
