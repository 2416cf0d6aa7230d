/** Why a computer lacks something, by link: nothing near fits, what fits is not proven, or its proof grew too old. */
export const LACK_CAUSES = [
  "atHand",
  "starts",
  "sees",
  "restores",
  "unproven",
  "drill",
  "verification",
  "image",
] as const;
export type LackCause = (typeof LACK_CAUSES)[number];
