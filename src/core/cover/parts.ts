import { itemAt } from "../kernel/item-at";
import type { CoverProblem } from "./problem";

/** A problem of its own, with the positions that its places, media and demands have in the whole. */
export interface CoverSubproblem {
  problem: CoverProblem;
  sites: number[];
  media: number[];
  demands: number[];
}

/** The problem in parts between which nothing is carried: each can be solved by itself. */
export function partsOf(problem: CoverProblem): CoverSubproblem[] {
  const { travel, media, demands } = problem;
  const group = travel.map((_, site) => site);
  const rootOf = (site: number): number => {
    let root = site;
    while (group[root] !== root) root = itemAt(group, root);
    group[site] = root;
    return root;
  };
  for (const [from, row] of travel.entries())
    for (const [to, minutes] of row.entries()) if (minutes !== null) group[rootOf(from)] = rootOf(to);
  const parts = new Map<number, number[]>();
  for (const site of travel.keys()) parts.set(rootOf(site), [...(parts.get(rootOf(site)) ?? []), site]);
  return [...parts.values()].map((sites) => {
    const positionOf = new Map(sites.map((site, at) => [site, at]));
    const at = (site: number) => positionOf.get(site) as number;
    const ofSites = <T extends { site: number }>(all: readonly T[]) =>
      [...all.keys()].filter((nth) => positionOf.has(itemAt(all, nth).site));
    const [itsMedia, itsDemands] = [ofSites(media), ofSites(demands)];
    const placed = <T extends { site: number }>(all: readonly T[], some: number[]) =>
      some.map((nth) => ({ ...itemAt(all, nth), site: at(itemAt(all, nth).site) }));
    return {
      ...{ sites, media: itsMedia, demands: itsDemands },
      problem: {
        ...problem,
        travel: sites.map((from) => sites.map((to) => travel[from]?.[to] ?? null)),
        media: placed(media, itsMedia),
        demands: placed(demands, itsDemands),
        noPurchase: (problem.noPurchase ?? []).filter((site) => positionOf.has(site)).map(at),
      },
    };
  });
}
