import type { Range } from "../../kernel/range";
import type { ImageContent } from "../facts/roles";
import type { DiskPartition } from "../facts/schema";

/** What a used byte comes to in an image. */
export interface StoredRatio {
  ratio: Range;
  /** By images that were taken; else as is usual. */
  isMeasured: boolean;
}

/** Stored to used bytes of ordinary content with the usual compression. Common practice. */
export const USUAL_RATIO: StoredRatio = { ratio: { low: 0.5, likely: 0.6, high: 0.7 }, isMeasured: false };

/** What one partition comes to in an image, in bytes. */
export interface StoredSize {
  /** Null: what is in use is not recorded. */
  bytes: Range | null;
  /** No more than this, whatever is in use. */
  mostBytes: number;
  /** Encrypted content may have to be taken whole. */
  isWhole: boolean;
}

/**
 * The size of a partition in an image. Encrypted content is taken whole unless it is opened first, and does not shrink;
 * once measured on images of the same computer it comes to what it came to before. Common practice.
 */
export function storedSize(
  { partition, role }: Pick<ImageContent, "partition" | "role">,
  { ratio, isMeasured }: StoredRatio,
): StoredSize {
  const used = usedBytesOf(partition, role);
  const isWhole = partition.encryption !== null && !isMeasured;
  const mostBytes = isWhole ? partition.bytes : Math.ceil((used ?? partition.bytes) * ratio.high);
  if (used === null) return { bytes: null, mostBytes, isWhole };
  const likely = isWhole ? used : Math.ceil(used * ratio.likely);
  // What is in use is sometimes recorded of an earlier, larger partition.
  const high = Math.max(mostBytes, likely);
  return { bytes: { low: Math.ceil(used * ratio.low), likely, high }, mostBytes: high, isWhole };
}

/** Bytes in use; a partition that never has a file system has none. Microsoft, "UEFI/GPT-based hard drive partitions". */
export function usedBytesOf({ usedBytes }: DiskPartition, role: string | null): number | null {
  return usedBytes ?? (role === "msr" || role === "bios-boot" ? 0 : null);
}
