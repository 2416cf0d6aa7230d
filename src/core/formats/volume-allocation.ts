import type { ByteSource } from "../kernel/source";
import type { AllocationReading } from "./allocation";
import { ExfatTree } from "./exfat";
import { extAllocation } from "./ext-allocation";
import { fatAllocation } from "./fat-allocation";
import { NtfsTree } from "./ntfs";
import { recogniseVolume } from "./recognise";

/**
 * What the file system of a volume uses of it, for those whose maps are read: FAT, exFAT, NTFS, ext2 to ext4. Null where
 * Creel does not read what a file system of this kind uses, or where there is none.
 */
export async function volumeAllocation(source: ByteSource): Promise<AllocationReading | null> {
  switch ((await recogniseVolume(source)).kind) {
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
