import { itemAt } from "../kernel/item-at";
import type { ByteSource } from "../kernel/source";
import { type Folder, foldersOf, type NamedFile } from "./tree-writing";

/** Clusters that follow each other and make one file or folder. */
export interface ClusterRun {
  first: number;
  count: number;
}

/**
 * A table of 32-bit cluster entries, made while it is read: the table of a 2 TB stick is hundreds of megabytes, and
 * all but its beginning is zero. `runs` are in order. Both FAT32 and exFAT link clusters this way.
 */
export class ClusterTableSource implements ByteSource {
  constructor(
    readonly sizeBytes: number,
    private readonly runs: readonly ClusterRun[],
    /** Entries 0 and 1. */
    private readonly heads: readonly [number, number],
    private readonly endMark: number,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    const end = Math.min(offset + length, this.sizeBytes);
    if (end <= offset) return new Uint8Array(0);
    const from = Math.floor(offset / 4);
    const to = Math.ceil(end / 4);
    const table = new DataView(new ArrayBuffer((to - from) * 4));
    const set = (entry: number, value: number) => {
      if (entry >= from && entry < to) table.setUint32((entry - from) * 4, value >>> 0, true);
    };
    set(0, this.heads[0]);
    set(1, this.heads[1]);
    for (let at = this.firstReaching(from); at < this.runs.length; at++) {
      const { first, count } = itemAt(this.runs, at);
      if (first >= to) break;
      for (let entry = Math.max(first, from); entry < Math.min(first + count, to); entry++)
        set(entry, entry === first + count - 1 ? this.endMark : entry + 1);
    }
    return new Uint8Array(table.buffer).subarray(offset - from * 4, end - from * 4);
  }

  private firstReaching(entry: number): number {
    let low = 0;
    let high = this.runs.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      const run = itemAt(this.runs, middle);
      if (run.first + run.count <= entry) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}

/** Hands out clusters one after the other. */
export class Allocation {
  readonly runs: ClusterRun[] = [];
  private next: number;
  constructor(
    readonly clusterBytes: number,
    first: number,
  ) {
    this.next = first;
  }
  /** Null for what needs none. */
  take(sizeBytes: number): ClusterRun | null {
    const count = Math.ceil(sizeBytes / this.clusterBytes);
    if (count === 0) return null;
    const run = { first: this.next, count };
    this.next += count;
    this.runs.push(run);
    return run;
  }
  /** The first cluster that is free. */
  get free(): number {
    return this.next;
  }
}

/** Where everything of a volume lies. */
export interface Places {
  /** By path; the root is "". */
  folders: Map<string, ClusterRun>;
  /** Those that are not empty. */
  files: Map<NamedFile, ClusterRun>;
}

/** Clusters for a folder and all below it, each folder before its files. `folderBytes`: what a folder takes, at least 1. */
export function placed(root: Folder, allocation: Allocation, folderBytes: (folder: Folder) => number): Places {
  const places: Places = { folders: new Map(), files: new Map() };
  for (const folder of foldersOf(root)) {
    places.folders.set(folder.path, allocation.take(folderBytes(folder)) as ClusterRun);
    for (const file of folder.files) {
      const clusters = allocation.take(file.content.sizeBytes);
      if (clusters) places.files.set(file, clusters);
    }
  }
  return places;
}
