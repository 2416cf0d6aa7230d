import type { FileGroup, StoreFile } from "./grouping";

/** An image as it was last seen in a store. */
export interface KnownCopy {
  image: string;
  /** Every file of it, with its size and time as they were. */
  files: StoreFile[];
}

export type ScanState =
  | { state: "new" }
  | { state: "same"; image: string }
  /** The same files at another place. */
  | { state: "moved"; image: string; from: string }
  /** At its place are other sizes, or files are more or fewer. */
  | { state: "changed"; image: string; why: "size" | "files" | "time" };

export interface ScanComparison {
  groups: { group: FileGroup; state: ScanState }[];
  /** Known copies of which nothing is there any more. */
  missing: KnownCopy[];
}

const filesOf = (group: FileGroup): StoreFile[] => group.members.flatMap((member) => member.files);

/** What tells files from others without reading them: their names without folders, and sizes. */
function fingerprint(files: readonly StoreFile[]): string {
  return files
    .map(({ path, bytes }) => `${bytes} ${path.slice(path.lastIndexOf("/") + 1)}`)
    .sort()
    .join("\n");
}

/** Holds what a scan found against what was known of the store. A copy is missing only once every way to find it failed. */
export function compareScan(groups: readonly FileGroup[], known: readonly KnownCopy[]): ScanComparison {
  const byPath = new Map(known.flatMap((copy) => copy.files.map(({ path }) => [path, copy] as const)));
  const byContent = new Map(known.map((copy) => [fingerprint(copy.files), copy]));
  const present = new Set(groups.flatMap(filesOf).map(({ path }) => path));
  const found = new Set<KnownCopy>();
  const states = groups.map((group) => {
    const files = filesOf(group);
    const here = files.map(({ path }) => byPath.get(path)).find((copy) => copy !== undefined);
    if (here) {
      found.add(here);
      return { group, state: stateAt(here, files) };
    }
    const alike = byContent.get(fingerprint(files));
    // What is still at its old place was copied, not moved.
    if (alike && !found.has(alike) && !alike.files.some(({ path }) => present.has(path))) {
      found.add(alike);
      return { group, state: { state: "moved", image: alike.image, from: alike.files[0]?.path ?? "" } as ScanState };
    }
    return { group, state: { state: "new" } as ScanState };
  });
  return { groups: states, missing: known.filter((copy) => !found.has(copy)) };
}

function stateAt({ image, files: was }: KnownCopy, is: readonly StoreFile[]): ScanState {
  const before = new Map(was.map((file) => [file.path, file]));
  if (was.length !== is.length || is.some(({ path }) => !before.has(path)))
    return { state: "changed", image, why: "files" };
  if (is.some(({ path, bytes }) => before.get(path)?.bytes !== bytes)) return { state: "changed", image, why: "size" };
  // Copies lose fractions of seconds; FAT counts in two seconds.
  const isLater = is.some(({ path, modified }) => {
    const earlier = before.get(path)?.modified;
    return earlier && modified && Math.abs(Date.parse(modified) - Date.parse(earlier)) > 2_000;
  });
  return isLater ? { state: "changed", image, why: "time" } : { state: "same", image };
}
