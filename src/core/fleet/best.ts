import type { Verdict } from "../chain/schema";
import { compareRoutes, distanceOf, type RankedRoute } from "../routes/routes";
import { type Cell, rankOfCell, weakestCode, weakestVerdict } from "./cell";
import type { FleetMatrix } from "./matrix";

/** What all media together come to for one computer. */
export interface Standing {
  /** Its best cell. */
  cell: Cell;
  /** The medium of that cell; the nearest, then the first in the fleet's order, of those that are as good. */
  column: number;
  /** Media of which the chain holds, or holds after a change. */
  ways: number;
}

/** Of media that are as good as far as cells tell, so many are compared route by route. */
const COMPARED = 8;
const ROUTES_KEPT = 2000;
const AFTER_CHANGE = 1;

/** The best chain of each computer of a fleet, and what each medium comes to: true to the matrix at each call. */
export class BestChains {
  private standings: (Standing | null)[] = [];
  private routes = new Map<number, RankedRoute | null>();
  private revision: number;

  constructor(private readonly matrix: FleetMatrix) {
    this.revision = matrix.revision;
  }

  /** Null where there is no medium at all. */
  standing(row: number): Standing | null {
    this.refresh();
    const known = this.standings[row];
    if (known !== undefined) return known;
    const found = this.stand(row);
    this.standings[row] = found;
    return found;
  }

  /** The route that a computer's page puts first, with its reasons. */
  route(row: number): RankedRoute | null {
    this.refresh();
    const known = this.routes.get(row);
    if (known !== undefined) return known;
    const [first] = this.tied(row)
      .flatMap((column) => this.matrix.routes(row, column))
      .sort((a, b) => compareRoutes(a, b).order);
    const found = first ?? null;
    if (this.routes.size >= ROUTES_KEPT) this.routes.clear();
    this.routes.set(row, found);
    return found;
  }

  /** How many computers a medium's chain comes to what, by its weakest link. */
  counts(column: number): Record<Verdict, number> {
    const counts = { holds: 0, "holds-after-change": 0, unknown: 0, broken: 0 };
    for (let row = 0; row < this.matrix.computers.length; row++)
      counts[weakestVerdict(this.matrix.cell(row, column))]++;
    return counts;
  }

  private refresh(): void {
    if (this.revision === this.matrix.revision) return;
    this.revision = this.matrix.revision;
    this.standings = [];
    this.routes.clear();
  }

  private stand(row: number): Standing | null {
    const cells = this.matrix.row(row);
    let ways = 0;
    for (const cell of cells) if (weakestCode(cell) <= AFTER_CHANGE) ways++;
    const [column] = this.tied(row);
    return column === undefined ? null : { cell: cells[column] as Cell, column, ways };
  }

  /** The media that are best as far as cells tell, the nearest first. */
  private tied(row: number): number[] {
    const cells = this.matrix.row(row);
    let best = Number.POSITIVE_INFINITY;
    let columns: number[] = [];
    for (const [column, cell] of cells.entries()) {
      const rank = rankOfCell(cell);
      if (rank > best) continue;
      if (rank < best) columns = [];
      best = rank;
      columns.push(column);
    }
    const computer = this.matrix.computers[row];
    if (!computer) return [];
    const distance = (column: number) => {
      const medium = this.matrix.media[column];
      return medium ? distanceOf(computer, medium.part) : 0;
    };
    return columns
      .map((column) => ({ column, away: distance(column) }))
      .sort((a, b) => a.away - b.away || a.column - b.column)
      .slice(0, COMPARED)
      .map(({ column }) => column);
  }
}
