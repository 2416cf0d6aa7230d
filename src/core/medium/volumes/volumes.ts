import { readElTorito } from "../../formats/el-torito";
import type { FileTree, Unreadable, Walked } from "../../formats/file-tree";
import { ISO_SECTOR_BYTES, readIsoDescriptors } from "../../formats/iso9660";
import { linearVolumes } from "../../formats/lvm";
import { openIso, openTree } from "../../formats/open-tree";
import type { FileSystemKind } from "../../formats/recognise";
import { UdfTree } from "../../formats/udf";
import { WimArchive } from "../../formats/wim-tree";
import { type ByteSource, WindowSource } from "../../kernel/source";
import { readTables } from "../tables/tables";

/** A number is a partition's; `mbr:N` one that stands beside a GPT partition of the same number. */
export type VolumeId =
  | number
  | "iso9660"
  | "udf"
  | "whole"
  /** The files of a drive, as a browser hands them over. */
  | "folder"
  | `eltorito:${number}`
  | `mbr:${number}`
  | `wim:${number}`
  /** A logical volume of LVM: its group and its name. */
  | `lvm:${string}`;

/** One file system of a medium that Creel can list. Places and sizes in bytes. */
export interface Volume {
  id: VolumeId;
  kind: FileSystemKind;
  tree: FileTree;
  start: number;
  lengthBytes: number;
}

/** El Torito entries looked into at most. */
const ENTRIES_MAX = 64;

/**
 * The file systems of a medium: of the disc itself, of its partitions, of the start images of its catalogue, or of
 * the whole where it has no table. `source` should be a `CachedSource`; `others`: the parts beside it of an archive that
 * was split; `sectorBytes`: of its sectors, in which tables count.
 */
export async function volumesOf(
  source: ByteSource,
  others: readonly ByteSource[] = [],
  sectorBytes = 512,
): Promise<Volume[]> {
  const volumes: Volume[] = [];
  const descriptors = await readIsoDescriptors(source);
  const isDisc = Boolean(descriptors?.primary || descriptors?.udf);
  const whole = { start: 0, lengthBytes: source.sizeBytes };
  if (descriptors?.primary) {
    const tree = await openIso(source);
    if (tree) volumes.push({ id: "iso9660", kind: "iso9660", tree, ...whole });
  }
  if (descriptors?.udf) {
    const tree = await UdfTree.find(source);
    if (tree) volumes.push({ id: "udf", kind: "udf", tree, ...whole });
  }
  const { tables, partitions } = await readTables(source, Boolean(descriptors?.primary), sectorBytes);
  for (const { index, table, start, length } of partitions) {
    // A hybrid disc's table covers the disc itself once more, and a table beside a GPT repeats its partitions.
    if (isDisc && start === 0) continue;
    if (volumes.some((each) => typeof each.id === "number" && each.start === start)) continue;
    const taken = volumes.some((each) => each.id === index);
    const part = new WindowSource(source, start, length);
    const opened = await openTree(part);
    if (!opened) volumes.push(...(await logicalIn(part, start)));
    else volumes.push({ id: taken ? `${table as "mbr"}:${index}` : index, start, lengthBytes: length, ...opened });
  }
  for (const record of descriptors?.bootRecords.slice(0, 1) ?? []) {
    const catalogue = await readElTorito(source, record.catalogSector);
    for (const entry of catalogue?.entries.slice(0, ENTRIES_MAX) ?? []) {
      const start = entry.startSector * ISO_SECTOR_BYTES;
      // The length that the catalogue gives is often wrong: the file system knows its own.
      const opened = await openTree(new WindowSource(source, start, source.sizeBytes - start));
      if (opened?.kind.startsWith("fat"))
        volumes.push({ id: `eltorito:${entry.index}`, start, lengthBytes: source.sizeBytes - start, ...opened });
    }
  }
  if (volumes.length === 0 && tables.length === 0) {
    const opened = await openTree(source);
    if (opened) volumes.push({ id: "whole", ...whole, ...opened });
    else volumes.push(...(await logicalIn(source, 0)), ...(await imagesOf(source, others)));
  }
  return volumes;
}

/** The logical volumes that lie wholly in a partition, as far as their file systems are read. */
async function logicalIn(part: ByteSource, partStart: number): Promise<Volume[]> {
  const volumes: Volume[] = [];
  for (const { name, source, start } of (await linearVolumes(part)).slice(0, ENTRIES_MAX)) {
    const opened = await openTree(source);
    if (opened) volumes.push({ id: `lvm:${name}`, start: partStart + start, lengthBytes: source.sizeBytes, ...opened });
  }
  return volumes;
}

/** The images of an archive, each with its files. */
async function imagesOf(source: ByteSource, others: readonly ByteSource[]): Promise<Volume[]> {
  const archive = await WimArchive.open(source, others);
  const volumes: Volume[] = [];
  for (let index = 1; index <= Math.min(archive?.images ?? 0, ENTRIES_MAX); index++) {
    const tree = await archive?.image(index);
    if (tree) volumes.push({ id: `wim:${index}`, kind: "wim", tree, start: 0, lengthBytes: source.sizeBytes });
  }
  return volumes;
}

/** A volume that two tables name is listed once; images of an archive lie in one another. */
export function distinct(volumes: Volume[]): Volume[] {
  const isSame = (one: Volume, other: Volume) =>
    one.start === other.start && one.kind === other.kind && (one.kind !== "wim" || one.id === other.id);
  return volumes.filter((volume, index) => volumes.findIndex((each) => isSame(each, volume)) === index);
}

/** A file or directory of a medium, as `creel ls` tells it. */
export interface Listed {
  volume: VolumeId;
  path: string;
  bytes: number;
  dir: boolean;
  modified: string | null;
  link?: string;
  unreadable?: Unreadable;
}

/** An entry as listings tell it; what it has no link and no fault for is left out. */
export function listed(volume: VolumeId, { path, entry }: Walked): Listed {
  return {
    volume,
    path,
    bytes: entry.sizeBytes,
    dir: entry.directory,
    modified: entry.modified,
    ...(entry.link === undefined ? {} : { link: entry.link }),
    ...(entry.unreadable === undefined ? {} : { unreadable: entry.unreadable }),
  };
}
