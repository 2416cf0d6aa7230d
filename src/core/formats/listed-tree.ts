import type { ByteSource } from "../kernel/source";
import { type FileTree, pathSegment, type TreeEntry } from "./file-tree";

/** A file that somebody handed over with its path, as browsers hand over the files of a folder. */
export interface ListedFile {
  /** Parts divided by `/`, from the folder on. */
  path: string;
  sizeBytes: number;
  /** ISO 8601; null where it is not told. */
  modified: string | null;
  open: () => ByteSource;
}

interface ListedEntry extends TreeEntry {
  /** Null for a folder. */
  file: ListedFile | null;
  below: Map<string, ListedEntry>;
}

const DEPTH_MAX = 128;

/** A tree of files that are listed with their paths, as if they were a volume. */
export class ListedTree implements FileTree<ListedEntry> {
  readonly label = null;
  private readonly top = new Map<string, ListedEntry>();

  constructor(files: readonly ListedFile[]) {
    let folders = 0;
    for (const file of files) {
      const parts = file.path.split("/").filter((part) => part !== "" && part !== "." && part !== "..");
      const name = parts.pop();
      if (name === undefined || parts.length > DEPTH_MAX) continue;
      let at = this.top;
      for (const part of parts) {
        const known = at.get(part);
        const folder = known?.directory ? known : folderEntry(part, ++folders);
        at.set(part, folder);
        at = folder.below;
      }
      const { sizeBytes, modified } = file;
      // A folder of the same name is not lost for a file that cannot be there.
      if (!at.get(name)?.directory)
        at.set(name, { name, directory: false, sizeBytes, modified, file, below: new Map() });
    }
  }

  async list(directory: ListedEntry | null): Promise<ListedEntry[]> {
    return [...(directory?.below ?? this.top).values()];
  }

  async open({ file }: ListedEntry): Promise<ByteSource | null> {
    return file?.open() ?? null;
  }
}

function folderEntry(name: string, id: number): ListedEntry {
  return { name: pathSegment(name), directory: true, sizeBytes: 0, modified: null, id, file: null, below: new Map() };
}
