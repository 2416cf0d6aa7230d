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

/** Where boot managers keep their stores, for BIOS and for UEFI (Microsoft, "BCD system store settings"). */
export const STORES = { bios: "/Boot/BCD", uefi: "/EFI/Microsoft/Boot/BCD" } as const;

/** Stores that are there and lead nowhere: the file that they name is not on their volume, or they cannot be read. */
export async function brokenStores<E extends TreeEntry>(
  tree: FileTree<E>,
): Promise<{ store: string; file: string | null }[]> {
  const found: { store: string; file: string | null }[] = [];
  for (const store of Object.values(STORES)) {
    const files = await bootFilesOf(tree, store);
    if (files.state === "damaged") found.push({ store, file: null });
    if (files.state === "missing" && files.path !== store) found.push({ store, file: files.path });
  }
  return found;
}

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
