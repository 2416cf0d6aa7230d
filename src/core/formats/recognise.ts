import { Fields, hasText, latin1, toSafeNumber, trimmed, utf16 } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";
import { ExfatTree } from "./exfat";
import { decodeFatGeometry, FatTree } from "./fat";
import { type IsoDescriptors, readIsoDescriptors } from "./iso9660";
import { NtfsTree } from "./ntfs";
import { UdfTree } from "./udf";

/** What a volume holds, by its signature. `null` stands for "nothing known". */
export type FileSystemKind =
  | "folder"
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
  | "f2fs"
  | "erofs"
  | "jfs"
  | "nilfs2"
  | "reiserfs"
  | "apfs"
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
  if (simple) return { ...simple, label: simple.label ?? (await labelInside(simple.kind, source)) };
  // FAT has no signature that can be relied on ("FAT32" in its sector is a comment): the geometry has to add up.
  if (decodeFatGeometry(start)) {
    const tree = await FatTree.open(source);
    if (tree) return { kind: tree.geometry.kind, label: tree.label };
  }
  // Discs come after what partitions hold: a hybrid image begins with a boot sector, but no file system of its own.
  const iso = await readIsoDescriptors(source);
  if (iso?.primary) return { kind: "iso9660", label: isoLabel(iso) };
  if (iso?.udf) return { kind: "udf", label: (await UdfTree.find(source))?.label ?? null };
  return (await byLaterSignature(source)) ?? { kind: null, label: null };
}

/** Joliet's label is the one that people see, but for one that it has no room for: it ends after 16 letters. */
export function isoLabel({ primary, joliet }: Pick<IsoDescriptors, "primary" | "joliet">): string | null {
  const [short, long] = [joliet?.label ?? "", primary?.label ?? ""];
  const isCut = short.length === JOLIET_LABEL_LETTERS && long.toUpperCase().startsWith(short.toUpperCase());
  return (isCut ? long : short || long) || null;
}

const JOLIET_LABEL_LETTERS = 16;

/** A label that does not stand in the first sectors. */
async function labelInside(kind: FileSystemKind | null, source: ByteSource): Promise<string | null> {
  switch (kind) {
    case "ntfs":
      return (await NtfsTree.open(source))?.label ?? null;
    case "exfat":
      return (await ExfatTree.open(source))?.label ?? null;
    case "hfs+":
      return hfsLabel(source);
    case "apfs":
      return apfsLabel(source);
    default:
      return null;
  }
}

/**
 * HFS+ keeps its label as the name of its root: the first record of the catalogue, whose parent is 1 (Apple TN1150, "Catalog
 * File", "B-Trees").
 */
async function hfsLabel(source: ByteSource): Promise<string | null> {
  const header = await readExactly(source, 1024, 512);
  if (!header) return null;
  const fields = new Fields(header);
  const blockBytes = fields.u32be(40);
  // The fork data of the catalogue file, and the first extent of it.
  const catalogue = fields.u32be(272 + 16) * blockBytes;
  const head = await readExactly(source, catalogue, 256);
  if (!head) return null;
  const [firstLeaf, nodeBytes] = [new Fields(head).u32be(14 + 10), new Fields(head).u16be(14 + 18)];
  const leaf = await readExactly(source, catalogue + firstLeaf * nodeBytes, Math.min(nodeBytes, 32_768));
  if (!leaf || leaf.length < 64 || leaf[8] !== 0xff) return null;
  const record = new Fields(leaf);
  const letters = record.u16be(14 + 6);
  if (record.u32be(14 + 2) !== 1 || letters > 255 || 14 + 8 + letters * 2 > leaf.length) return null;
  return new TextDecoder("utf-16be").decode(record.slice(14 + 8, letters * 2)) || null;
}

const APFS_NODE = { keys: 56, rootEnd: 40, leafFlags: 0x7 };

/**
 * The name of the first volume of a container: its number is looked up in the container's map of objects, a tree that is a
 * single node where there are few of them (Apple File System Reference, "Container", "Object Maps", "B-Trees", "Volumes").
 */
async function apfsLabel(source: ByteSource): Promise<string | null> {
  const container = await readExactly(source, 0, 1408);
  if (!container) return null;
  const fields = new Fields(container);
  const blockBytes = fields.u32le(36);
  if (blockBytes < 4096 || blockBytes > 65_536) return null;
  const blockAt = async (place: bigint) => {
    const at = toSafeNumber(place * BigInt(blockBytes));
    const bytes = at === null ? null : await readExactly(source, at, blockBytes);
    return bytes && new Fields(bytes);
  };
  const volume = fields.u64le(184);
  const map = await blockAt(fields.u64le(160));
  const node = map && (await blockAt(map.u64le(48)));
  // Root, leaf, and keys of one length.
  if (!node || (node.u16le(32) & APFS_NODE.leafFlags) !== APFS_NODE.leafFlags) return null;
  const table = APFS_NODE.keys + node.u16le(40);
  const keys = table + node.u16le(42);
  const values = blockBytes - APFS_NODE.rootEnd;
  for (let nth = 0; nth < node.u32le(36) && table + nth * 4 + 4 <= blockBytes; nth++) {
    const [key, value] = [keys + node.u16le(table + nth * 4), values - node.u16le(table + nth * 4 + 2)];
    if (key + 16 > blockBytes || value < keys || value + 16 > blockBytes || node.u64le(key) !== volume) continue;
    const found = await blockAt(node.u64le(value + 8));
    return found && hasText(found.bytes, 32, "APSB") ? textOf(found.slice(704, 256)) : null;
  }
  return null;
}

function bySignature(start: Uint8Array): RecognisedVolume | null {
  const named = (kind: FileSystemKind, label: string | null = null): RecognisedVolume => ({ kind, label });
  // The name of the maker in a boot sector, at byte 3 (NTFS, exFAT, BitLocker: before FAT, whose fields they imitate).
  if (hasText(start, 3, "NTFS    ")) return named("ntfs");
  if (hasText(start, 3, "EXFAT   ")) return named("exfat");
  if (hasText(start, 3, "-FVE-FS-") || hasText(start, 0x1a8, TO_GO)) return named("bitlocker");
  // Linux: squashfs' superblock, LUKS' header, XFS' superblock begin with theirs (kernel.org; cryptsetup's LUKS2 text).
  if (hasText(start, 0, "hsqs")) return named("squashfs");
  // LUKS2 has a label in its header, 48 bytes at 24.
  if (hasText(start, 0, "LUKS\xba\xbe"))
    return named("luks", new Fields(start).u16be(6) === 2 ? textOf(start.subarray(24, 72)) : null);
  if (hasText(start, 0, "XFSB")) return named("xfs", trimmed(latin1(start.subarray(108, 120))) || null);
  // LVM2 puts its label in one of the first four sectors, the second by custom; swap has its at the end of a page.
  for (const sector of [0, 1, 2, 3]) if (hasText(start, sector * 512, "LABELONE")) return named("lvm");
  // The swap header's page is as large as the machine's; the label at 1,052 (linux/swap.h, union swap_header).
  if (hasText(start, 4086, "SWAPSPACE2") || hasText(start, 4086, "SWAP-SPACE"))
    return named("swap", textOf(start.subarray(1052, 1068)));
  // Apple File System Reference: nx_magic at 32.
  if (hasText(start, 32, "NXSB")) return named("apfs");
  // HFS+ and HFSX: the volume header stands at 1,024, as ext's superblock does (Apple TN1150).
  if (start.length >= 1536 && (hasText(start, 1024, "H+") || hasText(start, 1024, "HX"))) return named("hfs+");
  if (start.length >= 2048) return at1024(start) ?? ext(start);
  return null;
}

/** BitLocker To Go's identifier in a boot sector that is FAT's otherwise (published descriptions). */
const TO_GO = "\x3b\xd6\x67\x49\x29\x2e\xd8\x4a\x83\x99\xf6\xa3\x39\xe3\xd0\x01";

const textOf = (bytes: Uint8Array) => trimmed(new TextDecoder().decode(bytes)).replace(/\0.*$/, "") || null;

/** Superblocks at 1,024, as the kernel's headers have them: f2fs_fs.h, erofs_fs.h, nilfs2_ondisk.h. */
function at1024(start: Uint8Array): RecognisedVolume | null {
  const fields = new Fields(start.subarray(1024));
  const label = (at: number, bytes: number) => textOf(start.subarray(1024 + at, 1024 + at + bytes));
  if (fields.u32le(0) === 0xf2f52010)
    return { kind: "f2fs", label: trimmed(utf16(fields.slice(124, 1024))).replace(/\0.*$/, "") || null };
  if (fields.u32le(0) === 0xe0f5e1e2) return { kind: "erofs", label: label(64, 16) };
  if (fields.u16le(6) === 0x3434) return { kind: "nilfs2", label: label(168, 80) };
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
  // JFS at 32 KiB, its label at 152 (jfs_superblock.h).
  const jfs = await readExactly(source, 32_768, 256);
  if (jfs && hasText(jfs, 0, "JFS1")) return { kind: "jfs", label: textOf(jfs.subarray(152, 168)) };
  // btrfs and ReiserFS at 64 KiB, their labels at 0x12b and 100 (btrfs' on-disk format, kernel.org; reiserfs.h).
  const late = await readExactly(source, 65_536, 0x22b);
  if (late && hasText(late, 64, "_BHRfS_M")) return { kind: "btrfs", label: textOf(late.subarray(0x12b, 0x22b)) };
  if (late && /^ReIsEr(2|3)?Fs/.test(latin1(late.subarray(52, 62))))
    return { kind: "reiserfs", label: textOf(late.subarray(100, 116)) };
  return await swapOfLargePage(source);
}

/** Swap of machines with larger pages. */
async function swapOfLargePage(source: ByteSource): Promise<RecognisedVolume | null> {
  for (const pageBytes of [8192, 16_384, 65_536]) {
    const end = await readExactly(source, pageBytes - 10, 10);
    if (!end || !hasText(end, 0, "SWAPSPACE2")) continue;
    const head = await readExactly(source, 1052, 16);
    return { kind: "swap", label: head && textOf(head) };
  }
  return null;
}
