import { itemAt } from "../kernel/item-at";
/** Minutes between two places, either way. */
export interface Leg {
  from: number;
  to: number;
  minutes: number;
}

/**
 * Minutes between all places, by the shortest way over others where that is recorded only in part; null: no way is
 * known. Places by their position. Floyd and Warshall, 1962.
 */
export function travelTable(places: number, legs: readonly Leg[]): (number | null)[][] {
  const table = Array.from({ length: places }, (_, from) =>
    Float64Array.from({ length: places }, (__, to) => (from === to ? 0 : Number.POSITIVE_INFINITY)),
  );
  const set = (from: number, to: number, minutes: number) => {
    const row = table[from];
    if (row && to < places && from !== to) row[to] = Math.min(itemAt(row, to), minutes);
  };
  for (const { from, to, minutes } of legs) {
    set(from, to, minutes);
    set(to, from, minutes);
  }
  for (const [by, second] of table.entries())
    for (const row of table) {
      const first = itemAt(row, by);
      if (first === Number.POSITIVE_INFINITY) continue;
      for (let to = 0; to < places; to++) {
        const over = first + itemAt(second, to);
        if (over < itemAt(row, to)) row[to] = over;
      }
    }
  return table.map((row) => Array.from(row, (minutes) => (Number.isFinite(minutes) ? minutes : null)));
}
