import { type ImageContent, imageContents, roleOf } from "../computer/facts/roles";
import type { DiskFacts, Facts } from "../computer/facts/schema";
import { internalDisks, systemDisk } from "../computer/needs/system-disk";
import { systemMode } from "../judging/links/modes";
import type { ImageBody, ImageDisk } from "../judging/model/parts";
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
  const isOfOne = new Set(stored.map(({ name }) => diskNameOf(name))).size === 1;
  return stored.map(({ name, role, active, filesystem, lengthBytes }) => {
    const disk = inner.length === 1 && isOfOne ? inner[0] : inner.find((each) => name.startsWith(each.name));
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

/**
 * The partitions of a stored image by the disks that they are of, as their names say: an image may be of several, set
 * together as one. The system's disk comes first; else the one that is named first. Null where nothing tells them apart.
 */
export function disksOfImage(
  partitions: readonly ImagePartition[] | null,
  facts: Pick<Facts, "disks" | "systems">,
): { first: ImagePartition[]; disk: DiskFacts | null; more: ImageDisk[] } | null {
  const byDisk = new Map<string, ImagePartition[]>();
  for (const partition of partitions ?? []) {
    const name = diskNameOf(partition.name ?? "");
    if (name === null) return null;
    byDisk.set(name, [...(byDisk.get(name) ?? []), partition]);
  }
  if (byDisk.size < 2) return null;
  const known = (name: string) => internalDisks(facts).find((disk) => disk.name === name) ?? null;
  const system = systemDisk(facts)?.name ?? "";
  const [firstName = ""] = byDisk.has(system) ? [system] : byDisk.keys();
  const more = [...byDisk].flatMap(([name, own]): ImageDisk[] => {
    const disk = known(name);
    const told = { serial: disk?.serial ?? null, bytes: disk?.bytes ?? null, sectorBytes: disk?.sectorBytes ?? null };
    return name === firstName ? [] : [{ name, ...told, partitions: own }];
  });
  return { first: byDisk.get(firstName) ?? [], disk: known(firstName), more };
}

/** "sda2" is of sda, "nvme0n1p2" of nvme0n1. Names as the Linux kernel gives them (its documentation of devices). */
function diskNameOf(partition: string): string | null {
  const found = /^(?:\/dev\/)?(?:((?:sd|hd|vd)[a-z]+)|((?:nvme\d+n\d+|mmcblk\d+))p)\d{1,3}$/.exec(partition);
  return found?.[1] ?? found?.[2] ?? null;
}

/** The built-in disks beside the system's, which may be saved with it as one image. */
export function disksBeside(facts: Facts): ImageDisk[] {
  const system = systemDisk(facts);
  if (!system) return [];
  const others = internalDisks(facts).filter((disk) => disk !== system && disk.partitions.length > 0);
  return others.map((disk) => ({
    ...{ name: disk.name, serial: disk.serial, bytes: disk.bytes, sectorBytes: disk.sectorBytes },
    partitions: imageContents(disk)
      .filter(({ take }) => take !== "leave")
      .map(recordOf),
  }));
}

const recordOf = ({ partition, role }: ImageContent): ImagePartition => ({
  ...{ name: String(partition.number), role, active: partition.active },
  ...{ filesystem: partition.filesystem, bytes: partition.bytes },
});

/** What a computer's facts say of an image of its system disk that is taken now; nothing where that is not known. */
export function bodyByFacts(facts: Facts): Partial<ImageBody> {
  const { disk, take: contents, usedBytes } = nextImage(facts);
  if (!disk) return {};
  return {
    mode: systemMode(facts),
    ...{ diskBytes: disk.bytes, sectorBytes: disk.sectorBytes, usedBytes },
    partitions: contents.map(recordOf),
  };
}
