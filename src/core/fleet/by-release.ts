import { type Cell, rankOfCell } from "./cell";
import type { FleetMatrix } from "./matrix";
import type { FleetMedium } from "./world";

/**
 * The matrix of computers against releases: of all media that carry a release, the one that does best for a computer.
 * Releases that no medium in service carries have no column.
 */
export class ReleaseMatrix {
  /** Names, sorted; a column each. */
  readonly releases: string[];
  private readonly carriers: number[][];

  constructor(
    private readonly matrix: Pick<FleetMatrix, "cell">,
    media: Pick<FleetMedium, "releases">[],
  ) {
    const columns = new Map<string, number[]>();
    for (const [column, { releases }] of media.entries())
      for (const { name } of releases) columns.set(name, [...(columns.get(name) ?? []), column]);
    this.releases = [...columns.keys()].sort();
    this.carriers = this.releases.map((name) => columns.get(name) ?? []);
  }

  cell(row: number, release: number): Cell {
    return this.matrix.cell(row, this.bestMedium(row, release));
  }

  /** The position of the medium that does best, the first of several. */
  bestMedium(row: number, release: number): number {
    const carriers = this.carriers[release] ?? [];
    return carriers.reduce((best, column) =>
      rankOfCell(this.matrix.cell(row, column)) < rankOfCell(this.matrix.cell(row, best)) ? column : best,
    );
  }
}
