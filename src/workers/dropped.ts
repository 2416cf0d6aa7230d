/** The files of a drive or folder, as a browser hands them over, with their paths from it on. */
export interface DroppedFolder {
  kind: "folder";
  name: string;
  /** All its files together, in bytes. */
  size: number;
  files: { path: string; file: File }[];
}

/** What is read where it is: a file, or the files of a plugged-in drive. */
export type Dropped = File | DroppedFolder;

export const isFolder = (dropped: Dropped): dropped is DroppedFolder => !(dropped instanceof File);

/** Where a file lies, from what was chosen or dropped on; its name alone where it was handed over by itself. */
function pathOf(file: File): string {
  // A chosen folder's files tell it themselves, those of a dropped one are told theirs by whoever went through it.
  const told = file.webkitRelativePath || ("path" in file && typeof file.path === "string" ? file.path : "");
  return told.replace(/^\.?\//, "") || file.name;
}

/** A folder that stands at the top of a medium, and is never a medium itself (UEFI 2.10, 13.3.1.3). */
const TOP_FOLDER = /^efi$/i;

/**
 * The folder that files were handed over of; null where they are files by themselves. A drive that was chosen or dropped
 * comes with its own name before all paths, which is no part of the medium; what was picked from its top has none.
 */
export function folderOf(files: readonly File[]): DroppedFolder | null {
  const placed = files.map((file) => ({ path: pathOf(file), file }));
  if (!placed.some(({ path }) => path.includes("/"))) return null;
  const tops = new Set(placed.map(({ path }) => path.split("/")[0] ?? ""));
  const [only = "", ...others] = tops;
  const isNamed = others.length === 0 && !TOP_FOLDER.test(only);
  const inside = isNamed ? placed.map(({ path, file }) => ({ path: path.slice(only.length + 1), file })) : placed;
  const size = files.reduce((sum, each) => sum + each.size, 0);
  return { kind: "folder", name: (isNamed && only) || "Drive", size, files: inside };
}
