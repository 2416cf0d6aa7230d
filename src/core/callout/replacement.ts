import { roleOf } from "../computer/facts/roles";
import type { DiskFacts } from "../computer/facts/schema";
import type { NewDisk } from "../computer/needs/system-disk";

/** An image as far as a new disk asks. */
export interface FittingImage {
  id: string;
  takenAt: string;
  diskBytes: number | null;
  sectorBytes: number | null;
}

export type ImageFit =
  | { state: "fits"; spareBytes: number }
  | { state: "too-small"; lackingBytes: number }
  | { state: "other-sectors"; image: number; disk: number }
  | { state: "unknown" };

/**
 * Whether an image goes onto a disk: one at least as large as the disk that it came from, with the same sectors unless the
 * kit converts. Common practice.
 */
export function imageFit({ diskBytes, sectorBytes }: FittingImage, disk: NewDisk, converts = false): ImageFit {
  if (diskBytes === null) return { state: "unknown" };
  if (disk.bytes < diskBytes) return { state: "too-small", lackingBytes: diskBytes - disk.bytes };
  if (!converts && sectorBytes !== null && disk.sectorBytes !== null && sectorBytes !== disk.sectorBytes)
    return { state: "other-sectors", image: sectorBytes, disk: disk.sectorBytes };
  return { state: "fits", spareBytes: disk.bytes - diskBytes };
}

/** The newest of the largest images that a disk takes; null where it takes none. */
export function largestThatFits<I extends FittingImage>(images: readonly I[], disk: NewDisk): I | null {
  const fitting = images.filter((image) => imageFit(image, disk).state === "fits");
  fitting.sort((a, b) => (b.diskBytes ?? 0) - (a.diskBytes ?? 0) || b.takenAt.localeCompare(a.takenAt));
  return fitting[0] ?? null;
}

/** What to make smaller on the old disk, so that an image of it fits on a smaller one. */
export interface Shrinking {
  /** Bytes that have to go. */
  lackingBytes: number;
  /** Partitions that give something, in the order to try. */
  steps: { partition: string; freeBytes: number; giveBytes: number }[];
  /** What is lacking even then; 0: it is enough. */
  stillLackingBytes: number;
  /** Partitions of which it is not known how much is in use. */
  unknown: string[];
}

/** A partition is left a tenth of what is in it, and no less than this, to live with. Common practice. */
const KEPT_SHARE = 0.1;
const KEPT_LEAST_BYTES = 2e9;

/** Data is made smaller before the system, and what gives most before what gives little. */
export function whatToShrink(old: DiskFacts, disk: NewDisk): Shrinking {
  const lackingBytes = Math.max(0, old.bytes - disk.bytes);
  const unallocated = Math.max(0, old.bytes - old.partitions.reduce((sum, { bytes }) => sum + (bytes ?? 0), 0));
  let open = Math.max(0, lackingBytes - unallocated);
  const named = (each: DiskFacts["partitions"][number]) => each.label || `partition ${each.number}`;
  const rank = (each: DiskFacts["partitions"][number]) => (roleOf(each) === "system" ? 1 : 0);
  const shrinkable = old.partitions.filter(
    (each) => !["esp", "msr", "boot", "bios-boot", "recovery", "swap"].includes(roleOf(each) ?? ""),
  );
  const gives = shrinkable.flatMap((each) => {
    if (each.bytes == null || each.usedBytes == null) return [];
    const kept = each.usedBytes + Math.max(KEPT_LEAST_BYTES, each.usedBytes * KEPT_SHARE);
    return [{ each, freeBytes: Math.max(0, Math.floor(each.bytes - kept)) }];
  });
  gives.sort((a, b) => rank(a.each) - rank(b.each) || b.freeBytes - a.freeBytes);
  const steps: Shrinking["steps"] = [];
  for (const { each, freeBytes } of gives) {
    if (open === 0) break;
    const giveBytes = Math.min(open, freeBytes);
    if (giveBytes === 0) continue;
    steps.push({ partition: named(each), freeBytes, giveBytes });
    open -= giveBytes;
  }
  return {
    lackingBytes,
    steps,
    stillLackingBytes: open,
    unknown: shrinkable.filter(({ bytes, usedBytes }) => bytes == null || usedBytes == null).map(named),
  };
}
