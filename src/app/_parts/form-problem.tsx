import { fieldTexts, problemText } from "@/core/words/problems";
import type { Problem } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";

/** A form's problem: what is wrong with entries that are `shown` is said beside them, and counted here. */
export function FormProblem({ problem, shown }: { problem: Problem | null; shown: readonly string[] }) {
  if (!problem) return null;
  const fields = Object.keys(fieldTexts(problem));
  const isBeside = fields.length > 0 && fields.every((field) => shown.includes(field));
  const count = fields.length === 1 ? "entry that is" : `${fields.length} entries that are`;
  return (
    <ProblemLine
      text={isBeside ? `Nothing was done yet: see the ${count} marked above.` : problemText(problem)}
      boxed
    />
  );
}
