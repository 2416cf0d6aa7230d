import type { Meaning } from "./ask";
import { pairsWorthTrying } from "./together";

/** Demands as [site, routes, releases that serve it]; releases are told by their ids, one content each. */
function meaning(...demands: [number, number, number[]][]): Meaning {
  const ids = [...new Set(demands.flatMap(([, , served]) => served))];
  return {
    problem: {
      demands: demands.map(([site, routes, served]) => {
        return { site, routes, withinMinutes: null, servedBy: served.map((id) => ids.indexOf(id)) };
      }),
    },
    contents: ids.map((_, candidate) => ({ of: "candidate", candidate, size: null })),
    asked: { candidates: ids.map((releaseId) => ({ releaseId })) },
  } as unknown as Meaning;
}

test("two releases are worth trying together where each serves what the other does not", () => {
  expect(pairsWorthTrying(meaning([0, 1, [7]], [0, 1, [9]]), 10)).toEqual([[7, 9]]);
  // One serves all that the other serves.
  expect(pairsWorthTrying(meaning([0, 1, [7, 9]], [0, 1, [9]]), 10)).toEqual([]);
  // At places of their own each is made for itself.
  expect(pairsWorthTrying(meaning([0, 1, [7]], [1, 1, [9]]), 10)).toEqual([]);
  // Nothing is asked for any more.
  expect(pairsWorthTrying(meaning([0, 1, [7]], [0, 0, [9]]), 10)).toEqual([]);
});

test("those that would spare most come first, and only so many are tried", () => {
  const all = meaning([0, 1, [1]], [0, 1, [2]], [1, 1, [2]], [1, 1, [3]], [2, 2, [2]], [2, 1, [3]]);
  expect(pairsWorthTrying(all, 10)).toEqual([
    [2, 3],
    [1, 2],
  ]);
  expect(pairsWorthTrying(all, 1)).toEqual([[2, 3]]);
});
