import type { Inspection } from "../inspection/schema";

/**
 * What a release is known again by on a medium: its programs by their digests, its archives by what they hold, its kernels and
 * packed file systems by path and size. No marks: nothing of the kind is on it.
 */
export function marksOf({ programs, contents }: Pick<Inspection, "programs" | "contents">): string[] {
  const marks = new Set<string>();
  for (const { authenticode } of programs) if (authenticode !== null) marks.add(`program ${authenticode}`);
  for (const { path, fileBytes, images } of contents.wims ?? []) {
    // What is in it: the same may be packed anew, or split.
    const held = images.map(({ name, version, bytes, files }) => `${name} ${version} ${bytes} ${files}`).join(", ");
    marks.add(`archive ${path.toLowerCase().replace(/\d*\.swm$/, ".wim")} ${held || fileBytes}`.slice(0, MARK_MAX));
  }
  for (const { path, bytes } of [...contents.kernels, ...contents.live])
    marks.add(`file ${path.toLowerCase()} ${bytes}`);
  return [...marks].sort();
}

const MARK_MAX = 500;

/** How much of what is on a medium a release has, and how much of the release is there: 0 to 1 each. */
export function likenessOfMarks(medium: readonly string[], release: readonly string[]): { of: number; all: number } {
  const own = new Set(medium);
  const shared = release.filter((mark) => own.has(mark)).length;
  return {
    of: medium.length === 0 ? 0 : shared / medium.length,
    all: release.length === 0 ? 0 : shared / release.length,
  };
}
