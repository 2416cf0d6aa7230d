import type { ImagePart, ReleasePart } from "../model/parts";

/**
 * What a route gives back, best first. `copy`: the old disk, copied onto the new one beside it. `system`: the system
 * partition of an image, the rest of the disk left as it is. `image-files`: files out of an image, nothing erased.
 */
export const OUTCOMES = [
  ...(["copy", "image", "system", "reinstall", "factory"] as const),
  ...(["start-up", "partitions", "files", "image-files"] as const),
] as const;
export type OutcomeKind = (typeof OUTCOMES)[number];

export interface Outcome {
  kind: OutcomeKind;
  /** The image, and the day as of which the computer is back. */
  image: ImagePart | null;
}

/** What makes sense only once something happened to a computer: a fleet is not judged by it. */
export const ON_THE_DAY: readonly OutcomeKind[] = ["copy", "system", "image-files"];

/** The system runs again as it was or as new, so that the whole way was gone. */
export function restoresSystem(kind: OutcomeKind): boolean {
  return kind === "copy" || kind === "image" || kind === "system" || kind === "reinstall" || kind === "factory";
}

/** Files come back, not the computer. */
export function savesFilesOnly(kind: OutcomeKind): boolean {
  return kind === "files" || kind === "image-files";
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
  if (purposes.includes("partition-repair")) kinds.push("partitions");
  if (purposes.includes("file-rescue")) kinds.push("files");
  return kinds;
}

/** What it gives beside, once something happened. */
export function outcomesOnTheDay({ facts: { purposes, abilities } }: Pick<ReleasePart, "facts">): OutcomeKind[] {
  const opensImages = purposes.includes("put-back-images");
  return [
    ...(purposes.includes("copy-disks") ? (["copy"] as const) : []),
    ...(opensImages && abilities.includes("single-partitions") ? (["system"] as const) : []),
    ...(opensImages ? (["image-files"] as const) : []),
  ];
}
