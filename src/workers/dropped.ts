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

/** Where a file lies in the folder that was chosen or dropped; null where it was handed over by itself. */
function pathOf(file: File): string | null {
  // A chosen folder's files tell it themselves, those of a dropped one are told theirs by whoever went through it.
  const told = file.webkitRelativePath || ("path" in file && typeof file.path === "string" ? file.path : "");
  const path = told.replace(/^\.?\//, "");
  return path.includes("/") ? path : null;
}

/** The folder that files were handed over of; null where they are files by themselves. */
export function folderOf(files: readonly File[]): DroppedFolder | null {
  const placed = files.flatMap((file) => {
    const path = pathOf(file);
    return path === null ? [] : [{ path, file }];
  });
  const [first] = placed;
  if (!first || placed.length < files.length) return null;
  const name = first.path.slice(0, first.path.indexOf("/"));
  // All of them begin with the folder's own name, which is no part of the medium.
  const inside = placed.map(({ path, file }) => ({ path: path.slice(path.indexOf("/") + 1), file }));
  return {
    kind: "folder",
    name: name || "Folder",
    size: files.reduce((sum, { size }) => sum + size, 0),
    files: inside,
  };
}
