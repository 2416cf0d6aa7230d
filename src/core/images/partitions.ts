import { roleOf } from "../computer/facts/roles";
import type { DiskFacts, Facts } from "../computer/facts/schema";
import { internalDisks } from "../computer/needs/system-disk";
import { systemMode } from "../judging/links/modes";
import type { ImageBody } from "../judging/model/parts";
import { nextImage } from "./contents";
import type { StoredPartition } from "./stored";

export type ImagePartition = NonNullable<ImageBody["partitions"]>[number];

/** File systems that are told apart by size and use only, under the names that tools give them. */
function family(filesystem: string): string {
  const name = filesystem.toLowerCase();
  return name.startsWith("fat") || name === "vfat" ? "fat" : name;
}

/** The partition's number as its name ends with: "sda2", "nvme0n1p2", "2"; null where there is none. */
function numberOf(name: string): number | null {
  const digits = /(\d{1,3})$/.exec(name)?.[1];
  return digits === undefined ? null : Number(digits);
}

/**
 * Partitions of a stored image for its record. What the image itself does not tell, the disk that it was taken of does:
 * by the partition's number, where the file system does not contradict.
 */
export function partitionsForRecord(
  stored: readonly StoredPartition[],
  disks: readonly DiskFacts[] | null,
): ImagePartition[] | null {
  if (stored.length === 0) return null;
  const inner = internalDisks({ disks });
  return stored.map(({ name, role, active, filesystem, lengthBytes }) => {
    const disk = inner.length === 1 ? inner[0] : inner.find((each) => name.startsWith(each.name));
    const partition = disk?.partitions.find(({ number }) => number === numberOf(name));
    const agrees =
      partition && (!partition.filesystem || !filesystem || family(partition.filesystem) === family(filesystem));
    return {
      ...{ name, filesystem, bytes: lengthBytes },
      role: role ?? (agrees ? roleOf(partition) : null),
      active: active ?? (agrees ? partition.active : null),
    };
  });
}

/** What a computer's facts say of an image of its system disk that is taken now; nothing where that is not known. */
export function bodyByFacts(facts: Facts): Partial<ImageBody> {
  const { disk, take: contents, usedBytes } = nextImage(facts);
  if (!disk) return {};
  return {
    mode: systemMode(facts),
    ...{ diskBytes: disk.bytes, sectorBytes: disk.sectorBytes, usedBytes },
    partitions: contents.map(({ partition, role }) => ({
      ...{ name: String(partition.number), role, active: partition.active },
      ...{ filesystem: partition.filesystem, bytes: partition.bytes },
    })),
  };
}
