import type { DrillResult } from "@/server/drills/drills";

/** What came of a drill, in a few words. */
export const RESULT_WORDS: Record<DrillResult, string> = {
  started: "It started",
  restored: "It started, and an image was put back",
  failed: "It did not start",
};
