import { dayOf } from "@/core/kernel/days";
import type { Context } from "../context";
import { fail, ok, type Result } from "../problems";
import { getMedium, mediumInputOf, saveMedium } from "./media";

const VERIFICATION_OUTCOMES = ["whole", "sample-right", "damaged"] as const;
export type VerificationOutcome = (typeof VERIFICATION_OUTCOMES)[number];

/**
 * Dates a medium's verification with today. A sample that was right confirms what was whole before, and makes nothing
 * whole. Problems: `not-found`, `stale`.
 */
export async function dateVerification(
  context: Context,
  tag: string,
  outcome: VerificationOutcome,
): Promise<Result<number>> {
  const medium = await getMedium(context, tag);
  if (!medium) return fail({ code: "not-found", what: "medium", name: tag });
  const on = dayOf(context.now());
  const before = mediumInputOf(medium);
  const { verified: last } = before;
  if (outcome === "sample-right" && !last?.whole) return ok(medium.row.version);
  const verified =
    outcome === "sample-right" && last
      ? { ...last, sampledOn: on }
      : { on, whole: outcome === "whole", sampledOn: null };
  return saveMedium(context, medium.row.id, medium.row.version, { ...before, verified });
}
