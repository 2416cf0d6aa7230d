import { lastOf } from "../kernel/item-at";
import type { ByteSource } from "../kernel/source";

/** A file that a volume is to hold. */
export interface FileToWrite {
  /** From the root, parts divided by `/`. */
  path: string;
  content: ByteSource;
  /** ISO 8601; the volume's own day where it is not known. */
  modified: string | null;
}

/** Why a volume cannot be made as it was asked for. */
export type VolumeProblem =
  | { code: "name-not-allowed"; path: string; name: string }
  | { code: "name-too-long"; path: string; characters: number; most: number }
  | { code: "same-name"; path: string; other: string }
  | { code: "file-and-folder"; path: string }
  | { code: "folder-too-large"; path: string; entries: number; most: number }
  | { code: "file-too-large"; path: string; bytes: number; mostBytes: number }
  | { code: "too-small-for-format"; bytes: number; leastBytes: number }
  | { code: "too-large-for-format"; bytes: number; mostBytes: number }
  | { code: "does-not-fit"; neededBytes: number; freeBytes: number };

export type Planned<T> = { ok: true; value: T } | { ok: false; problems: VolumeProblem[] };

export interface Folder {
  name: string;
  path: string;
  folders: Folder[];
  files: NamedFile[];
}

export interface NamedFile extends FileToWrite {
  name: string;
}

/** Windows and the FAT and exFAT specifications forbid these in long names; the last two parts end names badly. */
const FORBIDDEN = /["*/:<>?\\|]/;

/** Control characters and DEL are not allowed either. */
function hasControl(name: string): boolean {
  for (let at = 0; at < name.length; at++) if (name.charCodeAt(at) < 0x20 || name.charCodeAt(at) === 0x7f) return true;
  return false;
}
const NAME_MOST_CHARACTERS = 255;

function isAllowed(name: string): boolean {
  return !FORBIDDEN.test(name) && !hasControl(name) && !/[ .]$/.test(name);
}

/** How FAT and exFAT compare names: letter case is ignored. */
function sameNameKey(name: string): string {
  return name.toUpperCase();
}

/** Files as nested folders, in the order of their names, with whatever is wrong with the names. */
export function folderTree(files: readonly FileToWrite[]): { root: Folder; problems: VolumeProblem[] } {
  const root: Folder = { name: "", path: "", folders: [], files: [] };
  const problems: VolumeProblem[] = [];
  const folders = new Map<string, Folder>([["", root]]);
  const taken = new Map<string, string>();
  const folderAt = (path: string): Folder | null => {
    const key = sameNameKey(path);
    const madeBefore = folders.get(key);
    if (madeBefore) return madeBefore;
    if (taken.has(key)) {
      problems.push({ code: "file-and-folder", path });
      return null;
    }
    const cut = path.lastIndexOf("/");
    const parent = folderAt(path.slice(0, Math.max(0, cut)));
    if (!parent) return null;
    const folder: Folder = { name: path.slice(cut + 1), path, folders: [], files: [] };
    parent.folders.push(folder);
    folders.set(key, folder);
    return folder;
  };
  for (const file of files) {
    const parts = file.path.split("/").filter(Boolean);
    const path = `/${parts.join("/")}`;
    const bad = parts.find((part) => !isAllowed(part) || part === "." || part === "..");
    const long = parts.find((part) => part.length > NAME_MOST_CHARACTERS);
    if (bad !== undefined) problems.push({ code: "name-not-allowed", path, name: bad });
    else if (long !== undefined)
      problems.push({ code: "name-too-long", path, characters: long.length, most: NAME_MOST_CHARACTERS });
    if (bad !== undefined || long !== undefined || parts.length === 0) continue;
    const key = sameNameKey(path);
    const other = taken.get(key);
    if (other !== undefined) {
      problems.push({ code: "same-name", path, other });
      continue;
    }
    if (folders.has(key)) {
      problems.push({ code: "file-and-folder", path });
      continue;
    }
    taken.set(key, path);
    const folder = folderAt(path.slice(0, path.lastIndexOf("/")));
    folder?.files.push({ ...file, path, name: lastOf(parts) });
  }
  sort(root);
  return { root, problems };
}

function sort(folder: Folder): void {
  const byName = (a: { name: string }, b: { name: string }) =>
    a.name.toUpperCase() < b.name.toUpperCase() ? -1 : a.name.toUpperCase() > b.name.toUpperCase() ? 1 : 0;
  folder.folders.sort(byName);
  folder.files.sort(byName);
  for (const inner of folder.folders) sort(inner);
}

/** A folder and all below it, each before what is in it. */
export function* foldersOf(folder: Folder): Generator<Folder> {
  yield folder;
  for (const inner of folder.folders) yield* foldersOf(inner);
}
