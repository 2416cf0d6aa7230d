import { LRUCache } from "lru-cache";
import type { Verdict } from "../judging/model/schema";
import { answerOf, distanceOf, type Route } from "../judging/routes/routes";
import { itemAt } from "../kernel/item-at";
import { type Cell, rankOfCell, surenessOf, surestCode, surestVerdict, weakestCode } from "./cell";
import type { FleetMatrix } from "./matrix";

/** What all media together come to for one computer. */
export interface Standing {
  /** The weakest link of its surest route. */
  verdict: Verdict;
  /** The best cell of a medium that offers one as sure; its links are those of such a route where `isOwn`. */
  cell: Cell;
  isOwn: boolean;
  /** Media with a route that holds, or holds after a change. */
  ways: number;
}

/** Of media that are as sure, so many are compared route by route. */
const COMPARED = 8;
const AFTER_CHANGE = 1;

/** The surest chains of each computer of a fleet, and what each medium comes to: true to the matrix at each call. */
export class SurestChains {
  private standings: (Standing | null)[] = [];
  private readonly routes = new LRUCache<number, Route | "none">({ max: 2000 });
  private revision: number;

  constructor(private readonly matrix: FleetMatrix) {
    this.revision = matrix.revision;
  }

  /** Null where there is no medium at all. */
  standing(row: number): Standing | null {
    this.refresh();
    const keptStanding = this.standings[row];
    if (keptStanding !== undefined) return keptStanding;
    const found = this.stand(row);
    this.standings[row] = found;
    return found;
  }

  /** The route that answers for a computer, with its reasons: of the surest, the one that is ranked first. */
  route(row: number): Route | null {
    this.refresh();
    const keptRoutes = this.routes.get(row);
    if (keptRoutes !== undefined) return keptRoutes === "none" ? null : keptRoutes;
    const found = answerOf(this.surest(row).flatMap((column) => this.matrix.routes(row, column)));
    this.routes.set(row, found ?? "none");
    return found;
  }

  /** For how many computers a medium's surest route comes to what, by its weakest link. */
  counts(column: number): Record<Verdict, number> {
    const counts = { holds: 0, "holds-after-change": 0, unknown: 0, broken: 0 };
    for (let row = 0; row < this.matrix.computers.length; row++) counts[surestVerdict(this.matrix.cell(row, column))]++;
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
    let best = cells[0];
    if (best === undefined) return null;
    let ways = 0;
    for (let column = 0; column < cells.length; column++) {
      const cell = itemAt(cells, column);
      if (surestCode(cell) <= AFTER_CHANGE) ways++;
      if (surenessOf(cell) < surenessOf(best)) best = cell;
    }
    return { verdict: surestVerdict(best), cell: best, isOwn: weakestCode(best) === surestCode(best), ways };
  }

  /** The media of the surest routes, the best first as far as cells tell, then the nearest. */
  private surest(row: number): number[] {
    const standing = this.standing(row);
    const computer = this.matrix.computers[row];
    if (!standing || !computer) return [];
    const sure = surestCode(standing.cell);
    const columns: { column: number; rank: number; away: number }[] = [];
    for (const [column, cell] of this.matrix.row(row).entries()) {
      if (surestCode(cell) !== sure) continue;
      const { part } = itemAt(this.matrix.media, column);
      columns.push({ column, rank: rankOfCell(cell), away: distanceOf(computer, part) });
    }
    return columns
      .sort((a, b) => a.rank - b.rank || a.away - b.away || a.column - b.column)
      .slice(0, COMPARED)
      .map(({ column }) => column);
  }
}
