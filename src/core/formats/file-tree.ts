import type { ByteSource } from "../kernel/source";

/** Why the content of a file is not read, though the file is there. */
export type Unreadable = "compressed" | "encrypted" | "interleaved" | "elsewhere" | "special";

/** A file or directory of any file system that Creel reads. */
export interface TreeEntry {
  name: string;
  directory: boolean;
  /** Content in bytes; 0 for a directory. */
  sizeBytes: number;
  /** ISO 8601 where the file system has it; local times are given as UTC. */
  modified: string | null;
  /** Where a symbolic link points, as stored. */
  link?: string;
  /** Set where `open` gives null for another reason than damage. */
  unreadable?: Unreadable;
  /** What tells a directory from every other one of the volume: its first cluster, block or record. */
  id?: number;
}

/** One face for all file systems. `E` is the file system's own entry, with what it needs to find the content. */
export interface FileTree<E extends TreeEntry = TreeEntry> {
  /** The volume label, or null. */
  readonly label: string | null;
  /** Why nothing in it can be read, in a few words; null or absent where it can. */
  readonly unread?: string | null;
  /** The entries of a directory, in stored order; `null` is the root. Damage ends the list early. */
  list(directory: E | null): Promise<E[]>;
  /** The content of a file; null where its chain of clusters or extents is broken or leaves the volume. */
  open(file: E): Promise<ByteSource | null>;
}

/** Bytes of directories read of one volume: those of a million files are some hundred megabytes. */
const DIRECTORIES_MAX_BYTES = 384 << 20;

/** Folders may share what they list, on purpose or by damage; what is read of them all has an end. */
export class DirectoryBudget {
  private leftBytes = DIRECTORIES_MAX_BYTES;
  /** The bytes, or nothing once too many were read. */
  take(bytes: Uint8Array): Uint8Array {
    this.leftBytes -= bytes.length;
    return this.leftBytes >= 0 ? bytes : new Uint8Array(0);
  }
  get isSpent(): boolean {
    return this.leftBytes < 0;
  }
}

/** Longest path that is followed; Linux allows 4,096 bytes of path, real trees have some twenty levels. */
const DEPTH_MAX = 128;
/** Symbolic links followed on the way to one file, as the Linux kernel has it (MAXSYMLINKS, 40). */
const LINKS_MAX = 40;

/** A name as one part of a path: a division sign inside it would lead elsewhere. */
export function pathSegment(name: string): string {
  return name.replaceAll("/", "\u2215").replaceAll("\0", "\u2400");
}

function isOwnName(name: string): boolean {
  return name !== "" && name !== "." && name !== "..";
}

/**
 * Finds `path` (parts divided by `/`): as spelled where it is there, else ignoring letter case as FAT does. Symbolic
 * links are followed inside the volume. Null where it is not there.
 */
export async function findEntry<E extends TreeEntry>(tree: FileTree<E>, path: string): Promise<E | null> {
  const parts = path.split("/");
  /** The directories on the way, the root left out. */
  const way: E[] = [];
  let links = 0;
  let found: E | null = null;
  while (parts.length > 0) {
    const part = parts.shift() as string;
    if (part === "" || part === ".") continue;
    if (found && !found.directory) return null;
    if (part === "..") {
      way.pop();
      found = way.at(-1) ?? null;
      continue;
    }
    if (way.length > DEPTH_MAX) return null;
    const entry: E | null = pick(await tree.list(way.at(-1) ?? null), part);
    if (!entry) return null;
    if (entry.link === undefined) {
      if (entry.directory) way.push(entry);
      found = entry;
      continue;
    }
    if (++links > LINKS_MAX) return null;
    if (entry.link.startsWith("/")) way.length = 0;
    parts.unshift(...entry.link.split("/").slice(0, DEPTH_MAX));
    if (parts.length > LINKS_MAX * DEPTH_MAX) return null;
    found = way.at(-1) ?? null;
  }
  return found;
}

function pick<E extends TreeEntry>(entries: E[], part: string): E | null {
  const wanted = part.toUpperCase();
  return (
    entries.find((each) => pathSegment(each.name) === part) ??
    entries.find((each) => pathSegment(each.name).toUpperCase() === wanted) ??
    null
  );
}

/** The content of the file at `path`; null where it is not there, is a directory, or is not read. */
export async function openPath(tree: FileTree, path: string): Promise<ByteSource | null> {
  const entry = await findEntry(tree, path);
  return entry && !entry.directory ? tree.open(entry) : null;
}

export interface Walked<E extends TreeEntry = TreeEntry> {
  /** From the root of the volume, beginning with `/`. */
  path: string;
  entry: E;
}

export interface WalkLimits {
  /** Entries given at most. */
  entries?: number;
  /** Called once where a limit, or a directory met a second time, kept something out. */
  onCut?: (why: "entries" | "depth" | "circle", path: string) => void;
  /** Directories that are not entered. */
  skip?: (path: string) => boolean;
}

/** Two million files are more than any medium of the trade carries. */
const WALK_ENTRIES_MAX = 2_000_000;

/** Everything below a directory, each directory before what is in it. Circles end. */
export async function* walk<E extends TreeEntry>(
  tree: FileTree<E>,
  from: Walked<E> | null = null,
  limits: WalkLimits = {},
): AsyncGenerator<Walked<E>> {
  const seen = new Set<number>();
  let left = limits.entries ?? WALK_ENTRIES_MAX;
  const pending: (Walked<E> | null)[] = [from];
  const depths = [0];
  while (pending.length > 0) {
    const directory = pending.pop() as Walked<E> | null;
    const depth = depths.pop() as number;
    const below: Walked<E>[] = [];
    for (const entry of await tree.list(directory?.entry ?? null)) {
      if (!isOwnName(entry.name)) continue;
      const path = `${directory?.path ?? ""}/${pathSegment(entry.name)}`;
      if (left-- <= 0) return limits.onCut?.("entries", path);
      yield { path, entry };
      if (!entry.directory || limits.skip?.(path)) continue;
      if (entry.id !== undefined) {
        if (seen.has(entry.id)) {
          limits.onCut?.("circle", path);
          continue;
        }
        seen.add(entry.id);
      }
      if (depth >= DEPTH_MAX) limits.onCut?.("depth", path);
      else below.push({ path, entry });
    }
    for (const next of below.reverse()) {
      pending.push(next);
      depths.push(depth + 1);
    }
  }
}

/** All paths of a tree, read once: for asking many of them. Symbolic links are not among them. */
export class PathIndex {
  private readonly exact = new Map<string, TreeEntry>();
  private readonly anyCase = new Map<string, TreeEntry>();
  private constructor(private readonly tree: FileTree) {}

  static async of(tree: FileTree): Promise<PathIndex> {
    const index = new PathIndex(tree);
    for await (const { path, entry } of walk(tree)) {
      if (entry.link !== undefined) continue;
      index.exact.set(path, entry);
      const key = path.toUpperCase();
      if (!index.anyCase.has(key)) index.anyCase.set(key, entry);
    }
    return index;
  }

  /** As spelled where it is there, else ignoring letter case; null where it is not there, or is a folder. */
  file(path: string): TreeEntry | null {
    const clean = `/${path
      .split("/")
      .filter((part) => part !== "" && part !== ".")
      .join("/")}`;
    const entry = this.exact.get(clean) ?? this.anyCase.get(clean.toUpperCase());
    return entry && !entry.directory ? entry : null;
  }

  open(entry: TreeEntry): Promise<ByteSource | null> {
    return this.tree.open(entry);
  }
}
