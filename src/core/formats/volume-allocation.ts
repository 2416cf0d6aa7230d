import type { ByteSource } from "../kernel/source";
import type { AllocationReading } from "./allocation";
import { ExfatTree } from "./exfat";
import { extAllocation } from "./ext-allocation";
import { fatAllocation } from "./fat-allocation";
import { NtfsTree } from "./ntfs";
import { type FileSystemKind, recogniseVolume } from "./recognise";

export interface VolumeAllocation {
  kind: FileSystemKind | null;
  /** Null where Creel does not read what a file system of this kind uses. */
  reading: AllocationReading | null;
}

/** What the file system of a volume uses of it, for those whose maps are read: FAT, exFAT, NTFS, ext2 to ext4. */
export async function volumeAllocation(source: ByteSource): Promise<VolumeAllocation> {
  const { kind } = await recogniseVolume(source);
  return { kind, reading: await readingOf(kind, source) };
}

async function readingOf(kind: FileSystemKind | null, source: ByteSource): Promise<AllocationReading | null> {
  switch (kind) {
    case "fat12":
    case "fat16":
    case "fat32":
      return fatAllocation(source);
    case "exfat":
      return (await ExfatTree.open(source))?.allocation() ?? null;
    case "ntfs":
      return (await NtfsTree.open(source))?.allocation() ?? null;
    case "ext2":
    case "ext3":
    case "ext4":
      return extAllocation(source);
    default:
      return null;
  }
}
