import type { Meaning } from "./ask";

/**
 * Pairs of releases, by their ids, that would spare a medium somewhere if they stood on one: at some place each serves
 * what the other does not. Those that would at most places come first; at most so many.
 */
export function pairsWorthTrying({ problem, contents, asked }: Meaning, most: number): [number, number][] {
  const serves = new Map<number, Set<number>>();
  for (const [at, { servedBy, routes }] of problem.demands.entries())
    for (const content of routes > 0 ? servedBy : []) {
      const meaning = contents[content];
      const releaseId = meaning?.of === "candidate" ? asked.candidates[meaning.candidate]?.releaseId : undefined;
      if (releaseId === undefined) continue;
      serves.set(releaseId, (serves.get(releaseId) ?? new Set()).add(at));
    }
  const ids = [...serves.keys()].sort((a, b) => a - b);
  const pairs = ids.flatMap((a, nth) =>
    ids.slice(nth + 1).flatMap((b): { pair: [number, number]; places: number }[] => {
      const [own, other] = [serves.get(a) as Set<number>, serves.get(b) as Set<number>];
      const sitesOf = (some: Set<number>, without: Set<number>) =>
        new Set([...some].flatMap((at) => (without.has(at) ? [] : (problem.demands[at]?.site ?? []))));
      const [mine, theirs] = [sitesOf(own, other), sitesOf(other, own)];
      const places = [...mine].filter((site) => theirs.has(site)).length;
      return places > 0 ? [{ pair: [a, b], places }] : [];
    }),
  );
  return pairs
    .sort((a, b) => b.places - a.places)
    .slice(0, most)
    .map(({ pair }) => pair);
}
