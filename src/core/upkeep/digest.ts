import type { DueItem } from "./due";

/** What changed since the last digest of an audience. */
export interface DigestChange {
  fresh: DueItem[];
  /** Due then and not any more: done, or void. */
  gone: number;
  /** Of what was due already, how much is left. */
  still: number;
}

/** What is new, gone and unchanged against the keys that the last digest told. */
export function changedSince(due: readonly DueItem[], before: readonly string[]): DigestChange {
  const toldBefore = new Set(before);
  const now = new Set(due.map(({ key }) => key));
  return {
    fresh: due.filter(({ key }) => !toldBefore.has(key)),
    gone: before.filter((key) => !now.has(key)).length,
    still: due.filter(({ key }) => toldBefore.has(key)).length,
  };
}
