import type { CapacityResult } from "./capacity";

/** What a device went through. */
export interface DeviceHistory {
  bytes: number;
  timesWritten: number;
  bytesWritten: number;
  /** ISO 8601: when it was first in a berth. */
  since: string;
  test: CapacityResult | null;
  /** Of the same model, this one left out: how many there are, and how many were found counterfeit or failing. */
  sameModel: { known: number; failed: number };
  /** Of the same model and batch, likewise; null where its batch is not known. */
  sameBatch: { name: string; known: number; failed: number } | null;
  /** ISO day of its last test; null: never tested. */
  testedOn: string | null;
  /**
   * The last drill or call-out that its medium was used in, where it failed there; null: none was, it did well, or all of
   * it was read and found right since.
   */
  failedUse: { on: string; computer: string } | null;
}

/** Why a device is not to be relied on, or not for long. */
export type TrustReason =
  | { code: "counterfeit"; trueBytes: number }
  | { code: "failing" }
  | { code: "worn"; times: number }
  | { code: "old"; years: number }
  | { code: "failed-in-use"; on: string; computer: string }
  | { code: "model-failed"; failed: number; known: number }
  | { code: "batch-failed"; batch: string; failed: number; known: number };

export interface Trust {
  /** `distrust`: not to be used. `retire`: to be replaced before it fails. */
  verdict: "sound" | "untested" | "retire" | "distrust";
  reasons: TrustReason[];
}

/** Flash of cheap sticks stands some hundred full writes; a judgement of ours, on the side of caution. */
const FULL_WRITES_MOST = 100;
const YEARS_MOST = 6;
const YEAR_MS = 365.25 * 86_400_000;

/**
 * Whether a device is to be relied on. A medium that failed in use may have failed for the computer's reasons: its device
 * is in doubt until it was verified or tested, or did well elsewhere.
 */
export function trustOf(
  { bytes, bytesWritten, since, test, sameModel, sameBatch, testedOn, failedUse }: DeviceHistory,
  now: string,
): Trust {
  if (test?.state === "counterfeit")
    return { verdict: "distrust", reasons: [{ code: "counterfeit", trueBytes: test.trueBytes }] };
  if (test?.state === "failing") return { verdict: "distrust", reasons: [{ code: "failing" }] };
  const reasons: TrustReason[] = [];
  const times = Math.floor(bytesWritten / Math.max(1, bytes));
  const years = Math.floor((Date.parse(now) - Date.parse(since)) / YEAR_MS);
  if (times >= FULL_WRITES_MOST) reasons.push({ code: "worn", times });
  if (years >= YEARS_MOST) reasons.push({ code: "old", years });
  const isWorn = reasons.length > 0;
  // A batch says more than a model: where both have failures, it is the one that is told.
  if (sameBatch && sameBatch.failed > 0) {
    const { name, known, failed } = sameBatch;
    reasons.push({ code: "batch-failed", batch: name, known, failed });
  } else if (sameModel.failed > 0) reasons.push({ code: "model-failed", ...sameModel });
  const inDoubt = failedUse !== null && (testedOn === null || testedOn < failedUse.on);
  if (inDoubt) reasons.push({ code: "failed-in-use", ...failedUse });
  if (isWorn) return { verdict: "retire", reasons };
  return { verdict: test?.state === "sound" && !inDoubt ? "sound" : "untested", reasons };
}
