import type { OutcomeKind } from "../judging/routes/outcome";

/** What happened to a computer. */
export const HAPPENINGS = [
  "does-not-start",
  "disk-gone",
  "malware",
  "bad-update",
  "files-lost",
  "new-disk",
  "new-computer",
] as const;
export type Happening = (typeof HAPPENINGS)[number];

/** Outcomes that make sense after a happening, the one to try first in front. Common practice. */
const SENSE: Record<Happening, OutcomeKind[]> = {
  // What is cheapest and loses nothing comes first; then the whole computer as it was.
  "does-not-start": ["start-up", "partitions", "image", "system", "reinstall", "factory", "files", "image-files"],
  // There is nothing left to repair or to rescue from.
  "disk-gone": ["image", "reinstall", "factory", "image-files"],
  // What runs may be infected: it is not repaired, it is replaced.
  malware: ["image", "reinstall", "factory", "files", "image-files"],
  "bad-update": ["start-up", "image", "system", "reinstall", "factory", "image-files"],
  // They are copied out of an image; what still reads the disk may find what was not overwritten.
  "files-lost": ["image", "files"],
  // While the old disk lives, a copy of it loses nothing.
  "new-disk": ["copy", "image", "reinstall", "factory", "image-files"],
  "new-computer": ["image", "reinstall", "image-files"],
};

/** What is worth bringing back after this happened, the one to try first in front. */
export function sensibleOutcomes(happening: Happening): readonly OutcomeKind[] {
  return SENSE[happening];
}

/** Happenings after which an image from before them is wanted, so that a day has to be said. */
export function needsDay(happening: Happening): boolean {
  return happening === "malware" || happening === "bad-update";
}
