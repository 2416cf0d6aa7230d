import { concatBytes } from "@noble/hashes/utils.js";
import { type FileTree, findEntry, type TreeEntry } from "../../../formats/file-tree";
import { IsoTree, readIsoDescriptors } from "../../../formats/iso9660";
import { openTree } from "../../../formats/open-tree";
import { Fields, hasText, latin1, trimmed } from "../../../kernel/fields";
import { type ByteSource, readExactly, WindowSource } from "../../../kernel/source";
import { type Drive, type Outcome, type Run, readSector, SECTOR_BYTES, stop } from "./machine";

/** LDLINUX_MAGIC of Syslinux 4 to 6 (core/diskstart.inc, libinstaller/syslxint.h). */
const LDLINUX_MAGIC = 0x3eb202fe;
/** Where isolinux.bin carries its own mark for the hybrid first sector (core/isolinux.asm, `hybrid_signature`). */
const HYBRID_MARK_AT = 64;
const HYBRID_MARK = "\xfb\xc0\x78\x70";
const CORE_MAX_BYTES = 1 << 20;
/** As many as ldlinux.sys has room for (core/diskstart.inc). */
const EXTENTS_MAX = 192;
/** Where version 6 looks for its module, after the folder it was installed into (common practice). */
const MODULE_FOLDERS = ["/boot/isolinux", "/isolinux", "/boot/syslinux", "/syslinux", ""];
const MODULE = "ldlinux.c32";

/** A volume's boot sector with the address of ldlinux.sys patched into it by the installer. */
export async function followSyslinux(
  run: Run,
  drive: Drive,
  volume: { startSector: number; source: ByteSource; place: Drive["place"] },
  sector: Uint8Array,
): Promise<Outcome> {
  const { place } = volume;
  const program = "syslinux" as const;
  const patched = patchedAddress(sector);
  if (!patched) return stop(run, { code: "start-code", place, program: "unknown" }, "unknown");
  const base = volume.startSector;
  const first = await readSector(drive, base + patched.sector);
  const missing = { code: "core-missing", place, program, sector: base + patched.sector } as const;
  if (!first || new Fields(first).u32le(0x1c) !== patched.mark) return stop(run, missing);
  const core = await readLdlinux(drive, first, base, patched.sector);
  if (core === null) return stop(run, { ...missing, code: "core-cut" });
  if (!core.intact) return stop(run, { code: "core-damaged", place, program });
  // The same sector is put on FAT, and by EXTLINUX on ext2, ext3, ext4 and btrfs.
  const opened = await openTree(volume.source);
  if (!opened) return stop(run, { code: "core-runs", place, program }, core.needsModule ? "unknown" : "starts");
  return endWithModule(run, opened.tree, place, program, core);
}

interface LdlinuxCore {
  intact: boolean;
  needsModule: boolean;
  folder: string | null;
}

/** `mov eax, low; mov edx, high; mov bx, 0x8000` and the comparison that follows (core/diskboot.inc). */
function patchedAddress(sector: Uint8Array): { sector: number; mark: number } | null {
  const fields = new Fields(sector);
  const text = latin1(sector);
  const load = /\x66\xb8[\s\S]{4}\x66\xba\0\0\0\0\xbb\0\x80/.exec(text);
  const compare = text.indexOf("\x66\x81\x3e\x1c\x80");
  if (!load || compare < 0 || compare + 9 > sector.length) return null;
  return { sector: fields.u32le(load.index + 2), mark: fields.u32le(compare + 5) };
}

/** The whole of ldlinux.sys through its own extents. Null where one leaves the drive. */
async function readLdlinux(
  drive: Drive,
  first: Uint8Array,
  base: number,
  firstSector: number,
): Promise<LdlinuxCore | null> {
  const fields = new Fields(first);
  if (fields.u32le(0x18) !== LDLINUX_MAGIC) return { intact: false, needsModule: false, folder: null };
  const words = fields.u32le(0x24);
  const areaAt = fields.u16le(0x2e);
  const wantedBytes = words * 4;
  if (wantedBytes > CORE_MAX_BYTES) return { intact: false, needsModule: false, folder: null };
  const listAt = await extentListAt(drive, base + firstSector, areaAt);
  // The list of extents goes on in what its first ones load.
  let bytes = first;
  for (let i = 0; i < EXTENTS_MAX && bytes.length < wantedBytes; i++) {
    const at = listAt + i * 10;
    if (at + 10 > bytes.length) break;
    const list = new Fields(bytes);
    const sector = list.u32le(at) + base;
    const count = list.u16le(at + 8);
    if (count === 0) break;
    if (sector + count > drive.sectors) return null;
    const more = await readExactly(drive.source, sector * SECTOR_BYTES, count * SECTOR_BYTES);
    if (!more) return null;
    bytes = concatBytes(bytes, more);
  }
  if (bytes.length < wantedBytes) return { intact: false, needsModule: false, folder: null };
  bytes = bytes.subarray(0, wantedBytes);
  const whole = new Fields(bytes);
  let sum = 0;
  for (let at = 0; at < wantedBytes; at += 4) sum = (sum + whole.u32le(at)) >>> 0;
  return { intact: sum === LDLINUX_MAGIC, needsModule: isVersion6(bytes), folder: installedFolder(whole, areaAt) };
}

/** Where the list of extents stands: as the extended patch area says, which may lie elsewhere; else where it usually is. */
async function extentListAt(drive: Drive, firstSector: number, areaAt: number): Promise<number> {
  const area = await readExactly(drive.source, firstSector * SECTOR_BYTES + areaAt + 10, 2);
  const listed = area ? new Fields(area).u16le(0) : 0;
  return listed >= 0x40 && listed < SECTOR_BYTES ? listed : 0x1ee;
}

/** ext_patch_area of libinstaller/syslxint.h: diroffset at 2, dirlen at 4. */
function installedFolder(core: Fields, areaAt: number): string | null {
  if (areaAt + 6 > core.length) return null;
  const at = core.u16le(areaAt + 2);
  const length = core.u16le(areaAt + 4);
  if (length === 0 || length > 512 || at + length > core.length) return null;
  const folder = trimmed(core.ascii(at, length)).replace(/\/+$/, "");
  return /^(\/[\x20-\x7e]*)?$/.test(folder) ? folder : null;
}

/** Version 5 and later keep the menu code in a module of its own. */
function isVersion6(core: Uint8Array): boolean {
  const match = /(?:SYS|ISO|EXT)LINUX (\d+)\./.exec(latin1(core.subarray(0, 4096)));
  return match !== null && Number(match[1]) >= 5;
}

async function endWithModule<E extends TreeEntry>(
  run: Run,
  tree: FileTree<E>,
  place: Drive["place"],
  program: "syslinux" | "isolinux" | "isolinux-hybrid",
  core: LdlinuxCore,
): Promise<Outcome> {
  if (core.needsModule && !(await hasModule(tree, core.folder)))
    return stop(run, { code: "module-missing", place, file: MODULE });
  return stop(run, { code: "core-runs", place, program }, "starts");
}

async function hasModule<E extends TreeEntry>(tree: FileTree<E>, folder: string | null): Promise<boolean> {
  for (const folderTried of folder === null ? MODULE_FOLDERS : [folder, ...MODULE_FOLDERS]) {
    const entry = await findEntry(tree, `${folderTried}/${MODULE}`);
    if (entry && !entry.directory && entry.sizeBytes > 0 && (await tree.open(entry))) return true;
  }
  return false;
}

/** The variant that adds where its partition begins, which whoever starts it tells (isohdpfx.S, PARTITION_SUPPORT). */
const PARTITION_CODE = "\x21\xf6\x74\x26\xf6\x04\x7f\x75";

/**
 * The first sector of a hybrid ISO: it loads isolinux.bin from the address patched in at 432 (isohybrid), counted from the
 * partition that it was written into, `base`, where it is the variant for that. Sectors.
 */
export async function followIsolinuxHybrid(run: Run, drive: Drive, sector: Uint8Array, base: number): Promise<Outcome> {
  const program = "isolinux-hybrid" as const;
  const start = latin1(sector.subarray(0, 0x60)).includes(PARTITION_CODE) ? base * SECTOR_BYTES : 0;
  const disc = start === 0 ? drive.medium : new WindowSource(drive.medium, start, drive.medium.sizeBytes - start);
  const address = new Fields(sector).u32le(432);
  const image = await readExactly(disc, address * SECTOR_BYTES, 2048);
  const missing = { code: "core-missing", place: drive.place, program, sector: base + address } as const;
  if (!image || !hasText(image, HYBRID_MARK_AT, HYBRID_MARK)) return stop(run, missing);
  return endOnDisc(run, { ...drive, medium: disc }, program, address * SECTOR_BYTES, image);
}

/** isolinux.bin as a disc's start image. */
export function followIsolinux(run: Run, drive: Drive, imageStart: number, image: Uint8Array): Promise<Outcome> {
  return endOnDisc(run, drive, "isolinux", imageStart, image);
}

/** The boot info table gives length and checksum: the 32-bit words from byte 64 on add up to it. */
async function endOnDisc(
  run: Run,
  drive: Drive,
  program: "isolinux" | "isolinux-hybrid",
  start: number,
  image: Uint8Array,
): Promise<Outcome> {
  const { place, medium } = drive;
  const fields = new Fields(image);
  const lengthBytes = fields.u32le(16);
  if (lengthBytes > 0 && lengthBytes <= CORE_MAX_BYTES) {
    const whole = await readExactly(medium, start, lengthBytes);
    if (!whole) return stop(run, { code: "core-cut", place, program, sector: start / SECTOR_BYTES });
    const words = new Fields(whole);
    let sum = 0;
    for (let at = 64; at + 4 <= lengthBytes; at += 4) sum = (sum + words.u32le(at)) >>> 0;
    if (sum !== fields.u32le(20)) return stop(run, { code: "core-damaged", place, program });
  } else if (lengthBytes !== 0) return stop(run, { code: "core-damaged", place, program });
  const descriptors = await readIsoDescriptors(medium);
  if (!descriptors?.primary) return stop(run, { code: "module-missing", place, file: MODULE });
  const tree = await IsoTree.open(medium, descriptors.primary);
  const banner = await medium.read(start, CORE_MAX_BYTES / 16);
  return endWithModule(run, tree, place, program, { intact: true, needsModule: isVersion6Disc(banner), folder: null });
}

function isVersion6Disc(core: Uint8Array): boolean {
  const match = /ISOLINUX (\d+)\./.exec(latin1(core));
  return match !== null && Number(match[1]) >= 5;
}
