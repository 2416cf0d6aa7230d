import { itemAt } from "../kernel/item-at";
import { type Cell, weakestCode } from "./cell";

/** What grouping asks of a matrix. */
interface Cells {
  cell(row: number, column: number): Cell;
}

/** Rows, or columns, that are the same in every cell. */
export interface MatrixGroup {
  /** Positions in the fleet, in its order. */
  members: number[];
  /** How many of its cells have which weakest verdict: holds, holds after a change, unknown, broken. */
  weakest: [number, number, number, number];
}

export interface MatrixGroups {
  /** The worst first. */
  rows: MatrixGroup[];
  /** Those that bring back most first. */
  columns: MatrixGroup[];
}

/** Groups what is the same among some rows and columns of a matrix. */
export function groupCells(matrix: Cells, rows: number[], columns: number[]): MatrixGroups {
  const columnMembers = grouped(columns, (column) => keyOf(rows, (row) => matrix.cell(row, column)));
  const rowMembers = grouped(rows, (row) => keyOf(columns, (column) => matrix.cell(row, column)));
  const rowGroups = rowMembers.map((members) =>
    withCounts(members, columns, (column) => matrix.cell(itemAt(members, 0), column)),
  );
  const columnGroups = columnMembers.map((members) =>
    withCounts(members, rows, (row) => matrix.cell(row, itemAt(members, 0))),
  );
  return {
    rows: rowGroups.sort((a, b) => compareWeakest(b.weakest, a.weakest) || byPlace(a, b)),
    columns: columnGroups.sort((a, b) => compareWeakest(a.weakest, b.weakest) || byPlace(a, b)),
  };
}

/** The code (0 to 3) of the best that any of a row's cells comes to. */
export function bestOf({ weakest }: MatrixGroup): number {
  const best = weakest.findIndex((count) => count > 0);
  return best < 0 ? 3 : best;
}

/**
 * Groups as they are read beside each other: columns of one family (a release) together, the family that does best
 * first; rows by the best that they have, the worst first, and of those the ones that are alike together.
 */
export function arranged(matrix: Cells, groups: MatrixGroups, familyOf: (column: number) => string): MatrixGroups {
  const first = ({ members }: MatrixGroup) => itemAt(members, 0);
  const families = [...new Set(groups.columns.map((group) => familyOf(first(group))))];
  const rank = new Map(families.map((family, at) => [family, at]));
  const rankOf = (group: MatrixGroup) => rank.get(familyOf(first(group))) ?? 0;
  // Sorting is stable: within a family the best stays first.
  const columns = [...groups.columns].sort((a, b) => rankOf(a) - rankOf(b));
  const places = columns.map(first);
  const likeness = new Map(
    groups.rows.map((row) => [row, keyOf(places, (column) => 3 - weakestCode(matrix.cell(first(row), column)))]),
  );
  const key = (row: MatrixGroup) => likeness.get(row) ?? "";
  const rows = [...groups.rows].sort((a, b) => bestOf(b) - bestOf(a) || compareKeys(key(a), key(b)));
  return { rows, columns };
}

function compareKeys(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0;
}

function withCounts(members: number[], others: number[], cell: (other: number) => Cell): MatrixGroup {
  const weakest: MatrixGroup["weakest"] = [0, 0, 0, 0];
  for (const other of others) weakest[weakestCode(cell(other)) as 0 | 1 | 2 | 3] += 1;
  return { members, weakest };
}

function byPlace(a: MatrixGroup, b: MatrixGroup): number {
  return itemAt(a.members, 0) - itemAt(b.members, 0);
}

/** Negative where `a` has more that holds; then more that holds after a change, and so on. */
function compareWeakest(a: MatrixGroup["weakest"], b: MatrixGroup["weakest"]): number {
  return b[0] - a[0] || b[1] - a[1] || b[2] - a[2];
}

/** The cells as text: a whole row of a thousand media is a short string. */
function keyOf(positions: number[], cell: (position: number) => Cell): string {
  const parts: string[] = [];
  for (let at = 0; at < positions.length; at += 4096)
    parts.push(String.fromCharCode(...positions.slice(at, at + 4096).map(cell)));
  return parts.join("");
}

function grouped(positions: number[], keyFor: (position: number) => string): number[][] {
  const groups = new Map<string, number[]>();
  for (const position of positions) {
    const key = keyFor(position);
    const group = groups.get(key);
    if (group) group.push(position);
    else groups.set(key, [position]);
  }
  return [...groups.values()];
}
