import { Fields, hasText, latin1, trimmed } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { decodeFatGeometry, FatTree } from "./fat";
import { readIsoDescriptors } from "./iso9660";

/** What a volume holds, by its signature. `null` stands for "nothing known". */
export type FileSystemKind =
  | "fat12"
  | "fat16"
  | "fat32"
  | "exfat"
  | "ntfs"
  | "iso9660"
  | "udf"
  | "ext2"
  | "ext3"
  | "ext4"
  | "squashfs"
  | "wim"
  | "hfs+"
  | "btrfs"
  | "xfs"
  | "swap"
  | "lvm"
  | "luks"
  | "bitlocker";

export interface RecognisedVolume {
  kind: FileSystemKind | null;
  label: string | null;
}

/** Names the file system of a volume from its signature and reads its label where that is cheap. */
export async function recogniseVolume(source: ByteSource): Promise<RecognisedVolume> {
  const start = await source.read(0, 4096);
  if (start.length < 512) return { kind: null, label: null };
  const simple = bySignature(start);
  if (simple) return simple;
  // FAT has no signature that can be relied on ("FAT32" in its sector is a comment): the geometry has to add up.
  if (decodeFatGeometry(start)) {
    const tree = await FatTree.open(source);
    if (tree) return { kind: tree.geometry.kind, label: tree.label };
  }
  // Discs come after what partitions hold: a hybrid image begins with a boot sector, but no file system of its own.
  const iso = await readIsoDescriptors(source);
  if (iso?.primary) return { kind: "iso9660", label: iso.primary.label || null };
  if (iso?.udf) return { kind: "udf", label: null };
  return (await byLaterSignature(source)) ?? { kind: null, label: null };
}

function bySignature(start: Uint8Array): RecognisedVolume | null {
  const named = (kind: FileSystemKind, label: string | null = null): RecognisedVolume => ({ kind, label });
  // The name of the maker in a boot sector, at byte 3 (NTFS, exFAT, BitLocker: before FAT, whose fields they imitate).
  if (hasText(start, 3, "NTFS    ")) return named("ntfs");
  if (hasText(start, 3, "EXFAT   ")) return named("exfat");
  if (hasText(start, 3, "-FVE-FS-")) return named("bitlocker");
  // Linux: squashfs' superblock, LUKS' header, XFS' superblock begin with theirs (kernel.org; cryptsetup's LUKS2 text).
  if (hasText(start, 0, "hsqs")) return named("squashfs");
  if (hasText(start, 0, "LUKS\xba\xbe")) return named("luks");
  if (hasText(start, 0, "XFSB")) return named("xfs", trimmed(latin1(start.subarray(108, 120))) || null);
  // LVM2 puts its label in one of the first four sectors, the second by custom; swap has its at the end of a page.
  if (hasText(start, 512, "LABELONE")) return named("lvm");
  if (hasText(start, 4086, "SWAPSPACE2")) return named("swap");
  // HFS+ and HFSX: the volume header stands at 1,024, as ext's superblock does (Apple TN1150).
  if (start.length >= 1536 && (hasText(start, 1024, "H+") || hasText(start, 1024, "HX"))) return named("hfs+");
  if (start.length >= 2048) return ext(start);
  return null;
}

/** The superblock at 1,024 with magic EF53; the feature flags tell the generations apart (ext4 documentation, kernel.org). */
function ext(start: Uint8Array): RecognisedVolume | null {
  const fields = new Fields(start);
  if (fields.u16le(1024 + 56) !== 0xef53) return null;
  const [compatible, incompatible] = [fields.u32le(1024 + 92), fields.u32le(1024 + 96)];
  const label = trimmed(fields.ascii(1024 + 120, 16)) || null;
  // Extents make ext4; a journal alone makes ext3, whichever tool made it.
  if (incompatible & 0x40) return { kind: "ext4", label };
  return { kind: compatible & 0x4 ? "ext3" : "ext2", label };
}

async function byLaterSignature(source: ByteSource): Promise<RecognisedVolume | null> {
  // The first superblock stands at 64 KiB; its label at 0x12b (btrfs' on-disk format, kernel.org).
  const btrfs = await readExactly(source, 65536, 0x200);
  if (btrfs && hasText(btrfs, 64, "_BHRfS_M"))
    return { kind: "btrfs", label: trimmed(latin1(btrfs.subarray(0x12b, 0x1ff))) || null };
  return null;
}
