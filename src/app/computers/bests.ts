/** What the best medium of a computer can come to, in the order in which a filter offers it. */
export const BEST_VALUES = ["holds", "holds-after-change", "unknown", "broken", "none"] as const;
