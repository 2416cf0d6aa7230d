import type { FileGroup, StoreFile } from "./grouping";

/** An image as it was last seen in a store. */
export interface KnownCopy {
  image: string;
  /** Every file of it, with its size and time as they were; of what was only told, its path. */
  files: (StoreFile & { isTold?: boolean })[];
}

export type ScanState =
  | { state: "new" }
  | { state: "same"; image: string }
  /** An image that is registered, of which somebody told that it is here, or whose name it has. */
  | { state: "recognised"; image: string }
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

const plain = (text: string) =>
  text
    .trim()
    .replaceAll("\\", "/")
    .replace(/^\.?\//, "")
    .toLowerCase();
const baseName = (path: string) => path.slice(path.lastIndexOf("/") + 1);

/** What somebody told of copies, and the names of images: a path with or without its folder, a folder, a name. */
function recogniser(told: readonly KnownCopy[], names: readonly string[]): (group: FileGroup) => string | null {
  const byName = new Map(names.map((name) => [plain(name), name]));
  for (const { image, files } of told)
    for (const { path } of files) for (const key of [plain(path), baseName(plain(path))]) byName.set(key, image);
  return (group) => {
    const paths = filesOf(group).flatMap(({ path }) => {
      const own = plain(path);
      return [own, baseName(own), own.slice(0, Math.max(0, own.lastIndexOf("/")))];
    });
    const keys = [plain(group.key), ...paths, plain(group.name)].filter((key) => key !== "");
    for (const key of keys) {
      const image = byName.get(key);
      if (image !== undefined) return image;
    }
    return null;
  };
}

/**
 * Holds what a scan found against what was known of the store, and against the `names` of images that are not known to have
 * a copy here. A copy is missing only once every way to find it failed.
 */
export function compareScan(
  groups: readonly FileGroup[],
  copies: readonly KnownCopy[],
  names: readonly string[] = [],
): ScanComparison {
  const isTold = ({ files }: KnownCopy) => files.length === 0 || files.some((file) => file.isTold === true);
  const known = copies.filter((copy) => !isTold(copy));
  const recognise = recogniser(copies.filter(isTold), names);
  const recognised = new Set<string>();
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
    const image = recognise(group);
    if (image !== null && !recognised.has(image)) {
      recognised.add(image);
      return { group, state: { state: "recognised", image } as ScanState };
    }
    return { group, state: { state: "new" } as ScanState };
  });
  return { groups: states, missing: copies.filter((copy) => !found.has(copy) && !recognised.has(copy.image)) };
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
