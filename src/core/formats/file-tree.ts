import type { ByteSource } from "../bytes/source";

/** A file or directory of any file system that Creel reads. */
export interface TreeEntry {
  name: string;
  directory: boolean;
  /** Content in bytes; 0 for a directory. */
  sizeBytes: number;
  /** ISO 8601 where the file system has it; local times are given as UTC. */
  modified: string | null;
}

/** One face for all file systems. `E` is the file system's own entry, with what it needs to find the content. */
export interface FileTree<E extends TreeEntry = TreeEntry> {
  /** The volume label, or null. */
  readonly label: string | null;
  /** The entries of a directory, in stored order; `null` is the root. Damage ends the list early. */
  list(directory: E | null): Promise<E[]>;
  /** The content of a file; null where its chain of clusters or extents is broken or leaves the volume. */
  open(file: E): Promise<ByteSource | null>;
}

/** Longest path that is followed. */
const DEPTH_MAX = 32;

/** Finds `path` (parts divided by `/`), ignoring letter case as FAT does; null where it is not there. */
export async function findEntry<E extends TreeEntry>(tree: FileTree<E>, path: string): Promise<E | null> {
  const parts = path.split("/").filter((part) => part !== "");
  if (parts.length === 0 || parts.length > DEPTH_MAX) return null;
  let directory: E | null = null;
  for (const [index, part] of parts.entries()) {
    const wanted = part.toUpperCase();
    const entry: E | undefined = (await tree.list(directory)).find((each) => each.name.toUpperCase() === wanted);
    if (!entry || (index < parts.length - 1 && !entry.directory)) return null;
    directory = entry;
  }
  return directory;
}
