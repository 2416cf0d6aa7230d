import type { DrillResult } from "@/server/drills/drills";

/** What came of a drill, in a few words. */
export const RESULT_WORDS: Record<DrillResult, string> = {
  started: "Passed: started",
  restored: "Passed: started, image restored",
  failed: "Failed",
};
