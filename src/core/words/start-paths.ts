import type { StartPath } from "../medium/inspection/start-paths";
import { biosStepText } from "./firmware";
import { reasonText } from "./reasons";

/** What keeps a medium from starting in one way, in a sentence. */
export function startProblemText(problem: NonNullable<StartPath["problem"]>): string {
  return problem.code === "bios-stops" || problem.code === "bios-not-known"
    ? `${biosStepText(problem.step)}.`
    : reasonText(problem);
}
