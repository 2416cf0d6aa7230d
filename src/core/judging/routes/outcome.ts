import type { ImagePart, ReleasePart } from "../model/parts";

/** What a route gives back, best first. */
export const OUTCOMES = ["image", "reinstall", "factory", "start-up", "files"] as const;
export type OutcomeKind = (typeof OUTCOMES)[number];

export interface Outcome {
  kind: OutcomeKind;
  /** The image, and the day as of which the computer is back. */
  image: ImagePart | null;
}

/** The kinds of outcome that a release is made for; where that is not recorded, those that what it includes tells. */
export function outcomesOf({ facts, systems }: Pick<ReleasePart, "facts" | "systems">): OutcomeKind[] {
  const { purposes } = facts;
  const kinds: OutcomeKind[] = [];
  if (purposes.includes("put-back-images")) kinds.push("image");
  if (purposes.includes("reinstall") || (purposes.length === 0 && systems?.some((each) => each.role === "installs")))
    kinds.push("reinstall");
  if (purposes.includes("factory-state")) kinds.push("factory");
  if (purposes.includes("start-up-repair")) kinds.push("start-up");
  if (purposes.includes("file-rescue")) kinds.push("files");
  return kinds;
}
