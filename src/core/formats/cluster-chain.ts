import type { Extent } from "../kernel/source";

/** A table of clusters in which each names the next, as FAT and exFAT have it. Sizes and places in bytes. */
export interface ClusterTable {
  clusterBytes: number;
  clusterCount: number;
  /** Where cluster 2 begins. */
  dataStart: number;
  /** The table's value for a cluster; null where the table is not there. */
  next(cluster: number): Promise<number | null>;
  isEnd(value: number): boolean;
}

/** Clusters followed for one file: 8 Mi of them. */
const CHAIN_MAX = 1 << 23;

/**
 * The extents of up to `clusters` clusters from `first`. Null where the chain ends early, leaves the volume or runs
 * in a circle; with `toItsEnd` a chain that just ends is what was asked for.
 */
export async function followChain(
  table: ClusterTable,
  first: number,
  clusters: number,
  toItsEnd = false,
): Promise<Extent[] | null> {
  const { clusterBytes, clusterCount, dataStart } = table;
  const wanted = Math.min(clusters, CHAIN_MAX);
  const extents: Extent[] = [];
  let cluster = first;
  // A chain longer than the volume has clusters must have come back to one of them.
  for (let count = 0; count < wanted; count++) {
    if (cluster < 2 || cluster >= clusterCount + 2 || count >= clusterCount)
      return toItsEnd && count > 0 ? extents : null;
    const start = dataStart + (cluster - 2) * clusterBytes;
    const last = extents.at(-1);
    if (last && (last.start as number) + last.lengthBytes === start) last.lengthBytes += clusterBytes;
    else extents.push({ start, lengthBytes: clusterBytes });
    if (count + 1 === wanted) break;
    const next = await table.next(cluster);
    if (next === null) return toItsEnd ? extents : null;
    if (toItsEnd && table.isEnd(next)) break;
    cluster = next;
  }
  return extents;
}
