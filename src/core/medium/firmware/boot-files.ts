import { readBootStore } from "../../formats/boot-store";
import { type FileTree, findEntry, openPath, type TreeEntry } from "../../formats/file-tree";
import { CachedSource } from "../../kernel/source";

/** Where a store leads that a boot manager reads from a volume. */
export type BootFiles =
  | { state: "there"; archive: string }
  /** The store itself, the archive, or the image for its disk in memory is not there. */
  | { state: "missing"; path: string }
  | { state: "damaged"; path: string }
  /** It starts something that is not on this volume. */
  | { state: "elsewhere" };

/** What a boot manager starts by a store on its own volume: paths with `/`. */
export async function bootFilesOf<E extends TreeEntry>(tree: FileTree<E>, storePath: string): Promise<BootFiles> {
  const content = await openPath(tree, storePath);
  if (!content) return { state: "missing", path: storePath };
  const store = await readBootStore(new CachedSource(content));
  const entry = store?.entries.find(({ id }) => id.toLowerCase() === store.defaultId?.toLowerCase());
  if (!store || !entry) return { state: "damaged", path: storePath };
  if (entry.archive === null) return { state: "elsewhere" };
  const archive = entry.archive.replaceAll("\\", "/");
  for (const path of [archive, ...(entry.sdi ? [entry.sdi.replaceAll("\\", "/")] : [])]) {
    const found = await findEntry(tree, path);
    if (!found || found.directory || found.sizeBytes === 0) return { state: "missing", path };
  }
  return { state: "there", archive };
}
