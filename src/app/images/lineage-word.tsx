import type { Lineage } from "@/core/images/lineage";
import { lineageProblemText } from "@/core/words/images";
import { ChainLink } from "@/ui/chain";
import { dateText } from "@/ui/words";

const VERDICTS = { usable: "holds", unsure: "unknown", unusable: "broken" } as const;

/** Whether a point is usable, and what stands against it first. */
export function LineageWord({ lineage, name }: { lineage: Lineage; name: string }) {
  const problem = lineage.problems.find(({ code }) => code !== "part-unverified") ?? lineage.problems[0];
  const isOwn = problem && "part" in problem && problem.part === name;
  const text = !problem
    ? "usable"
    : isOwn && problem.code === "part-unverified"
      ? "never verified"
      : isOwn && problem.code === "part-damaged"
        ? `damaged, as of ${dateText(problem.on)}`
        : isOwn && problem.code === "part-missing"
          ? "no copy left"
          : lineageProblemText(problem);
  return (
    <span className={`flex items-center gap-2 ${lineage.state === "unusable" ? "text-plum" : "text-quiet"}`}>
      <ChainLink verdict={VERDICTS[lineage.state]} />
      <span>{text}</span>
    </span>
  );
}
