import { type ByteSource, CachedSource } from "../kernel/source";
import { BtrfsTree } from "./btrfs";
import { ErofsTree } from "./erofs";
import { ExfatTree } from "./exfat";
import { ExtTree } from "./ext";
import { FatTree } from "./fat";
import type { FileTree } from "./file-tree";
import { IsoTree, readIsoDescriptors } from "./iso9660";
import { NtfsTree } from "./ntfs";
import { type FileSystemKind, recogniseVolume } from "./recognise";
import { SquashfsTree } from "./squashfs";
import { UdfTree } from "./udf";
import { XfsTree } from "./xfs";

export interface OpenedTree {
  kind: FileSystemKind;
  tree: FileTree;
}

/** Opens the file system of a volume, whichever it is; null where it is unknown, damaged at its root, or not read here. */
export async function openTree(source: ByteSource): Promise<OpenedTree | null> {
  const { kind } = await recogniseVolume(source);
  const tree = kind && (await openAs(kind, source));
  return tree ? { kind, tree } : null;
}

async function openAs(kind: FileSystemKind, source: ByteSource): Promise<FileTree | null> {
  switch (kind) {
    case "fat12":
    case "fat16":
    case "fat32":
      return FatTree.open(source);
    case "exfat":
      return ExfatTree.open(source);
    case "ntfs":
      return NtfsTree.open(source);
    case "ext2":
    case "ext3":
    case "ext4":
      return ExtTree.open(source);
    case "xfs":
      return XfsTree.open(source);
    case "btrfs":
      return BtrfsTree.open(source);
    case "erofs":
      return ErofsTree.open(source);
    case "squashfs":
      return SquashfsTree.open(source);
    case "iso9660":
      return openIso(source);
    case "udf":
      return UdfTree.find(source);
    default:
      return null;
  }
}

/** The names that say most: Rock Ridge, else Joliet, else the plain ones. */
export async function openIso(source: ByteSource): Promise<IsoTree | null> {
  const descriptors = await readIsoDescriptors(source);
  const primary = descriptors?.primary ? await IsoTree.open(source, descriptors.primary) : null;
  if (primary?.names === "rock-ridge" || !descriptors?.joliet) return primary;
  return IsoTree.open(source, descriptors.joliet);
}

/** A file system inside a file of another one, with a cache of its own. */
export async function openInner(file: ByteSource): Promise<OpenedTree | null> {
  return openTree(new CachedSource(file));
}
