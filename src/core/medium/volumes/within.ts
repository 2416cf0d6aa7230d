import { type FileTree, findEntry, type TreeEntry } from "../../formats/file-tree";
import { openInner } from "../../formats/open-tree";
import { isWim } from "../../formats/wim";
import { WimArchive } from "../../formats/wim-tree";
import { type ByteSource, CachedSource } from "../../kernel/source";
import { volumesInside } from "./unpacked";

/** Archives within archives, followed at most. */
const DEPTH_MAX = 4;
const PARTS_MAX = 64;

/** Where a path leads that goes through a file with files of its own. */
export interface Within {
  tree: FileTree;
  /** The path of the file, and of the number of its image where it has several. */
  prefix: string;
  /** What of the path is behind it, without a first division sign; "" for its root. */
  rest: string;
}

/**
 * Follows a path into files that hold files themselves: file systems, and archives, of which the next part of the path is
 * the number of an image ("/sources/boot.wim/1/Windows"). Each tree that it ends in; several where the path ends with the
 * archive. Empty where no file is on its way, or none that is read.
 */
export async function within(tree: FileTree, path: string, depth = 0): Promise<Within[]> {
  const parts = path.split("/").filter((part) => part !== "" && part !== ".");
  if (depth >= DEPTH_MAX) return [];
  for (let many = 1; many <= parts.length; many++) {
    const entry = await findEntry(tree, parts.slice(0, many).join("/"));
    if (!entry) return [];
    if (entry.directory) continue;
    const prefix = `/${parts.slice(0, many).join("/")}`;
    const trees = await treesOf(tree, entry, prefix);
    const rest = parts.slice(many);
    const found: Within[] = [];
    for (const inner of trees) {
      const isNumbered = inner.image !== null;
      if (isNumbered && rest.length > 0 && rest[0] !== String(inner.image)) continue;
      const behind = isNumbered ? rest.slice(1) : rest;
      const own = isNumbered ? `${prefix}/${inner.image}` : prefix;
      const deeper = behind.length > 0 ? await within(inner.tree, behind.join("/"), depth + 1) : [];
      if (deeper.length === 0) found.push({ tree: inner.tree, prefix: own, rest: behind.join("/") });
      for (const each of deeper) found.push({ ...each, prefix: `${own}${each.prefix}` });
    }
    return found;
  }
  return [];
}

/** A file of a tree, or of a file in it that holds files itself; null where there is none. */
export async function findThrough(tree: FileTree, path: string): Promise<{ tree: FileTree; entry: TreeEntry } | null> {
  const entry = await findEntry(tree, path);
  if (entry) return { tree, entry };
  for (const inner of await within(tree, path)) {
    const found = inner.rest ? await findEntry(inner.tree, inner.rest) : null;
    if (found) return { tree: inner.tree, entry: found };
  }
  return null;
}

/** The trees in a file; `image`: its number, where it is one of an archive. */
async function treesOf(
  around: FileTree,
  entry: TreeEntry,
  path: string,
): Promise<{ tree: FileTree; image: number | null }[]> {
  const content = await around.open(entry);
  if (!content) return [];
  const source = new CachedSource(content);
  if (!isWim(await source.read(0, 16))) {
    const inner = await openInner(content);
    if (inner) return [{ tree: inner.tree, image: null }];
    return (await volumesInside(content)).map(({ tree }) => ({ tree, image: null }));
  }
  const archive = await WimArchive.open(source, await otherParts(around, entry, path));
  const trees: { tree: FileTree; image: number | null }[] = [];
  for (let image = 1; image <= (archive?.images ?? 0); image++) {
    const tree = await archive?.image(image);
    if (tree) trees.push({ tree, image });
  }
  return trees;
}

/** The other parts of a split archive, beside it in its folder. */
async function otherParts(around: FileTree, entry: TreeEntry, path: string): Promise<ByteSource[]> {
  const folder = await findEntry(around, path.slice(0, path.lastIndexOf("/")));
  const entries = await around.list(folder);
  const names = partsBeside(
    entry.name,
    entries.map(({ name }) => name),
  );
  const parts: ByteSource[] = [];
  for (const each of entries) {
    const content = names.includes(each.name) ? await around.open(each) : null;
    if (content) parts.push(new CachedSource(content));
  }
  return parts;
}

/** Names of the other parts of a split archive, as its tools name them: "a.swm", "a2.swm", "a3.swm". */
export function partsBeside(name: string, names: readonly string[]): string[] {
  const stem = /^(.*?)\d*\.swm$/i.exec(name)?.[1];
  if (stem === undefined) return [];
  const isPart = (other: string) =>
    other.toLowerCase().startsWith(stem.toLowerCase()) && /^\d*\.swm$/i.test(other.slice(stem.length));
  return names.filter((other) => other !== name && isPart(other)).slice(0, PARTS_MAX);
}
