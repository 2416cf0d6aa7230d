import Papa from "papaparse";
import { breakAt, weakestVerdict } from "@/core/fleet/cell";
import { verdictText } from "@/core/words/reasons";
import { weakText } from "@/core/words/routes";
import type { Context } from "../context";
import { asked } from "./asked";
import { chosenOf, fleet, type MatrixFilter } from "./fleet";

const ROWS = 200;

const text = (lines: string[][]) => `${Papa.unparse(lines, { newline: "\r\n", escapeFormulae: true })}\r\n`;

/** Some lines of the matrix from a row on, the first of them below its heading; null behind the last. */
const linesFrom = asked(
  "matrix-lines",
  async (context: Context, filter: MatrixFilter, from: number): Promise<string | null> => {
    const of = await fleet(context);
    const { rows, columns } = chosenOf(of, filter);
    const heading = ["computer", "name", "site", ...columns.map((column) => of.media[column]?.part.tag ?? "")];
    if (from > 0 && from >= rows.length) return null;
    const lines = rows.slice(from, from + ROWS).map((row) => {
      const { tag = "", name = null, site = null } = of.computers[row] ?? {};
      return [tag, name ?? "", site ?? "", ...columns.map((column) => cellText(of.matrix.cell(row, column)))];
    });
    return text(from === 0 ? [heading, ...lines] : lines);
  },
  false,
);

/** The matrix as CSV (RFC 4180), part by part: a row for each computer, a column for each medium, and in each cell its weakest link. */
export async function* exportMatrix(context: Context, filter: MatrixFilter): AsyncGenerator<string> {
  for (let from = 0; ; from += ROWS) {
    const lines = await linesFrom(context, filter, from);
    if (lines === null) return;
    yield lines;
  }
}

/** "Starts broken", "Proven unknown", "holds". */
function cellText(cell: number): string {
  const at = breakAt(cell);
  return at === null ? verdictText("holds") : weakText(at, weakestVerdict(cell));
}
