import { Fields, hasText, latin1, trimmed, utf16 } from "../kernel/fields";
import { itemAt } from "../kernel/item-at";
import { type ByteSource, type Extent, ExtentSource, readExactly } from "../kernel/source";
import { DirectoryBudget, type FileTree, type TreeEntry } from "./file-tree";
import { openZisofs, zisofsSize } from "./zisofs";

/** ECMA-119 (ISO 9660), with Joliet names and the Rock Ridge NM entries of IEEE P1282 (SUSP, P1281). */
export const ISO_SECTOR_BYTES = 2048;
const FIRST_DESCRIPTOR = 16;
/** Descriptors read at most; a disc has a handful. */
const DESCRIPTORS_MAX = 64;

interface VolumeDescriptor {
  joliet: boolean;
  label: string;
  /** Logical block size in bytes; 2,048 in practice. */
  blockBytes: number;
  volumeBlocks: number;
  created: string | null;
  root: { block: number; lengthBytes: number };
}

export interface IsoDescriptors {
  primary: VolumeDescriptor | null;
  joliet: VolumeDescriptor | null;
  /** Sectors of boot record descriptors that name El Torito, in order. */
  bootRecords: { sector: number; catalogSector: number }[];
  /** The volume recognition area also carries the NSR descriptors of ECMA-167 (UDF). */
  udf: boolean;
}

/** Walks the volume descriptors from sector 16. Null where there is not even one. */
export async function readIsoDescriptors(source: ByteSource): Promise<IsoDescriptors | null> {
  const found: IsoDescriptors = { primary: null, joliet: null, bootRecords: [], udf: false };
  let any = false;
  let terminated = false;
  for (let sector = FIRST_DESCRIPTOR; sector < FIRST_DESCRIPTOR + DESCRIPTORS_MAX; sector++) {
    const bytes = await readExactly(source, sector * ISO_SECTOR_BYTES, ISO_SECTOR_BYTES);
    if (!bytes) break;
    if (hasText(bytes, 1, "NSR02") || hasText(bytes, 1, "NSR03")) found.udf = true;
    if (
      hasText(bytes, 1, "BEA01") ||
      hasText(bytes, 1, "TEA01") ||
      hasText(bytes, 1, "NSR0") ||
      hasText(bytes, 1, "BOOT2")
    ) {
      any = true;
      continue;
    }
    if (!hasText(bytes, 1, "CD001")) break;
    any = true;
    // After the terminator only UDF's recognition sequence may follow (ECMA-167, 2/8.3.1).
    if (terminated) continue;
    const type = bytes[0];
    if (type === 255) terminated = true;
    else if (type === 0 && hasText(bytes, 7, "EL TORITO SPECIFICATION")) {
      found.bootRecords.push({ sector, catalogSector: new Fields(bytes).u32le(71) });
    } else if (type === 1) found.primary ??= decodeDescriptor(bytes, false);
    else if (type === 2 && isJoliet(bytes)) found.joliet ??= decodeDescriptor(bytes, true);
  }
  return any ? found : null;
}

/** Joliet's escape sequences for UCS-2 levels 1 to 3. */
function isJoliet(bytes: Uint8Array): boolean {
  return ["%/@", "%/C", "%/E"].some((level) => hasText(bytes, 88, level));
}

function decodeDescriptor(bytes: Uint8Array, joliet: boolean): VolumeDescriptor | null {
  const fields = new Fields(bytes);
  const blockBytes = fields.u16le(128);
  if (![512, 1024, 2048].includes(blockBytes)) return null;
  const labelBytes = fields.slice(40, 32);
  return {
    joliet,
    label: trimmed(joliet ? utf16(labelBytes, true) : latin1(labelBytes)),
    blockBytes,
    volumeBlocks: fields.u32le(80),
    created: descriptorTime(latin1(fields.slice(813, 16)), fields.u8(829)),
    root: { block: fields.u32le(158), lengthBytes: fields.u32le(166) },
  };
}

/** "YYYYMMDDHHMMSScc" and an offset in quarter hours, ECMA-119 8.4.26.1. */
function descriptorTime(digits: string, offsetByte: number): string | null {
  const match = /^(\d{4})(\d\d)(\d\d)(\d\d)(\d\d)(\d\d)\d\d$/.exec(digits);
  if (!match || Number(match[1]) === 0) return null;
  const [year, month, day, hour, minute, second] = match.slice(1).map(Number) as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  return isoTime(year, month, day, hour, minute, second, offsetByte);
}

function isoTime(
  year: number,
  month: number,
  day: number,
  hour: number,
  minute: number,
  second: number,
  offsetByte: number,
): string | null {
  if (month < 1 || month > 12 || day < 1 || day > 31 || hour > 23 || minute > 59 || second > 59) return null;
  const quarters = offsetByte > 127 ? offsetByte - 256 : offsetByte;
  if (Math.abs(quarters) > 56) return null;
  return new Date(Date.UTC(year, month - 1, day, hour, minute, second) - quarters * 900_000).toISOString();
}

export interface IsoEntry extends TreeEntry {
  extents: Extent[];
  /** What is stored, in bytes, of a file that is packed. */
  packedBytes?: number;
}

/** Bits of a record's file flags, ECMA-119 9.1.6. */
const FLAG = { directory: 0x02, associated: 0x04, continues: 0x80 };

/** A directory larger than this is read no further. */
const DIRECTORY_MAX_BYTES = 4 << 20;

/** The tree of one volume descriptor: Rock Ridge names on the primary one, UCS-2 names on the Joliet one. */
export class IsoTree implements FileTree<IsoEntry> {
  private readonly budget = new DirectoryBudget();
  readonly label: string | null;
  private constructor(
    private readonly source: ByteSource,
    readonly volume: VolumeDescriptor,
    /** Bytes to skip in each system use field, from the SP entry; null where there is no Rock Ridge. */
    private readonly suspSkip: number | null,
  ) {
    this.label = volume.label || null;
  }

  static async open(source: ByteSource, volume: VolumeDescriptor): Promise<IsoTree> {
    const plain = new IsoTree(source, volume, null);
    const root = await plain.directoryBytes(null);
    return volume.joliet ? plain : new IsoTree(source, volume, findSuspSkip(root));
  }

  get names(): "joliet" | "rock-ridge" | "plain" {
    return this.volume.joliet ? "joliet" : this.suspSkip === null ? "plain" : "rock-ridge";
  }

  async list(directory: IsoEntry | null): Promise<IsoEntry[]> {
    if (this.budget.isSpent) return [];
    const bytes = this.budget.take(await this.directoryBytes(directory));
    const fields = new Fields(bytes);
    const entries: IsoEntry[] = [];
    let continued: IsoEntry | null = null;
    let at = 0;
    while (at < bytes.length) {
      const length = fields.u8(at);
      if (length === 0) {
        // Records do not cross sectors (ECMA-119 6.8.1.1): the rest of this one is padding.
        at = (Math.floor(at / ISO_SECTOR_BYTES) + 1) * ISO_SECTOR_BYTES;
        continue;
      }
      if (length < 34 || at + length > bytes.length) break;
      const nameBytes = fields.u8(at + 32);
      if (33 + nameBytes > length) break;
      const special = nameBytes === 1 && fields.u8(at + 33) <= 1;
      const flags = fields.u8(at + 25);
      if (!special && !(flags & FLAG.associated)) {
        // An extended attribute record comes before the content (9.1.2).
        const block = fields.u32le(at + 2) + fields.u8(at + 1);
        const extent = { start: block * this.volume.blockBytes, lengthBytes: fields.u32le(at + 10) };
        if (continued) {
          continued.extents.push(extent);
          continued.sizeBytes += extent.lengthBytes;
        } else {
          const entry = await this.entry(fields, at, length, extent);
          if (entry) entries.push(entry);
          continued = entry;
        }
        // Bit 7: the file goes on in the next record (ECMA-119 6.5.1), as files over 4 GiB do.
        if (!(flags & FLAG.continues)) continued = null;
      }
      at += length;
    }
    return entries;
  }

  /** One record as a file or directory; null for a directory that is listed at its true place. */
  private async entry(fields: Fields, at: number, length: number, extent: Extent): Promise<IsoEntry | null> {
    const nameBytes = fields.u8(at + 32);
    const use = await this.rockRidge(fields.slice(at, length), nameBytes);
    if (use.moved) return null;
    const directory = (fields.u8(at + 25) & FLAG.directory) !== 0 || use.child !== null;
    const ownExtent = use.child === null ? extent : await this.childExtent(use.child);
    return {
      name: use.name ?? this.plainName(fields.slice(at + 33, nameBytes)),
      directory,
      sizeBytes: directory || use.link !== null ? 0 : extent.lengthBytes,
      modified: use.modified ?? recordTime(fields.slice(at + 18, 7)),
      extents: [ownExtent],
      ...(use.link === null ? {} : { link: use.link }),
      ...(use.isPacked && !directory ? packedAs(use.unpackedBytes, extent.lengthBytes) : {}),
      ...(fields.u8(at + 26) > 0 ? { unreadable: "interleaved" as const } : {}),
      ...(directory ? { id: ownExtent.start as number } : {}),
    };
  }

  /** A directory too deep for the format lies elsewhere; its own first record says how long it is. */
  private async childExtent(block: number): Promise<Extent> {
    const start = block * this.volume.blockBytes;
    const head = await readExactly(this.source, start, 34);
    return { start, lengthBytes: head ? new Fields(head).u32le(10) : 0 };
  }

  async open(file: IsoEntry): Promise<ByteSource | null> {
    if (file.unreadable || file.link !== undefined) return null;
    const inside = file.extents.every(
      (extent) => (extent.start as number) + extent.lengthBytes <= this.source.sizeBytes,
    );
    if (!inside) return null;
    const stored = new ExtentSource(this.source, file.extents, file.packedBytes ?? file.sizeBytes);
    return file.packedBytes === undefined ? stored : openZisofs(stored, file.sizeBytes);
  }

  private directoryBytes(directory: IsoEntry | null): Promise<Uint8Array> {
    const { root, blockBytes } = this.volume;
    if (!directory) return this.source.read(root.block * blockBytes, Math.min(root.lengthBytes, DIRECTORY_MAX_BYTES));
    const extent = itemAt(directory.extents, 0);
    return this.source.read(extent.start as number, Math.min(extent.lengthBytes, DIRECTORY_MAX_BYTES));
  }

  private plainName(bytes: Uint8Array): string {
    const raw = this.volume.joliet ? utf16(bytes, true) : latin1(bytes);
    return raw.replace(/;\d+$/, "").replace(/\.$/, "");
  }

  /** Follows the record's system use entries, and their continuation areas. */
  private async rockRidge(record: Uint8Array, nameBytes: number): Promise<RockRidge> {
    const found = new SystemUse();
    if (this.suspSkip !== null) {
      const start = 33 + nameBytes + (nameBytes % 2 === 0 ? 1 : 0) + this.suspSkip;
      let area = record.subarray(Math.min(start, record.length));
      for (let hop = 0; hop < CONTINUATIONS_MAX; hop++) {
        const next = found.take(area);
        if (!next) break;
        const { block, offset, length } = next;
        area = await this.source.read(block * this.volume.blockBytes + offset, Math.min(length, ISO_SECTOR_BYTES));
      }
    }
    return found.result();
  }
}

/** The SP entry at the head of the root's own record marks the use of SUSP and says how much to skip. */
function findSuspSkip(root: Uint8Array): number | null {
  if (root.length < 41 || (root[0] ?? 0) < 41) return null;
  const at = 34;
  return hasText(root, at, "SP") && root[at + 4] === 0xbe && root[at + 5] === 0xef ? (root[at + 6] as number) : null;
}

/** Continuation areas followed for one record: names of 250 KB fit, endless chains do not. */
const CONTINUATIONS_MAX = 128;

/** What IEEE P1282 adds to a record. */
interface RockRidge {
  name: string | null;
  link: string | null;
  modified: string | null;
  /** Block of the directory that this file stands for (CL). */
  child: number | null;
  /** A directory that was moved here from a deeper place (RE). */
  moved: boolean;
  /** Its content is packed (ZF), and how large it is once it is unpacked; null where it is packed in no known way. */
  isPacked: boolean;
  unpackedBytes: number | null;
}

class SystemUse {
  private readonly names: Uint8Array[] = [];
  private readonly links: Uint8Array[] = [];
  private modified: string | null = null;
  private child: number | null = null;
  private moved = false;
  private isPacked = false;
  private unpackedBytes: number | null = null;

  /** Reads one area; the place where it goes on, or null at its end. */
  take(area: Uint8Array): { block: number; offset: number; length: number } | null {
    const fields = new Fields(area);
    let next: { block: number; offset: number; length: number } | null = null;
    let at = 0;
    while (at + 4 <= area.length) {
      const length = fields.u8(at + 2);
      if (length < 4 || at + length > area.length) break;
      const kind = fields.ascii(at, 2);
      if (kind === "ST") break;
      if (kind === "NM" && length >= 5 && !(fields.u8(at + 4) & 0x06))
        this.names.push(fields.slice(at + 5, length - 5));
      else if (kind === "SL" && length > 5) this.links.push(fields.slice(at + 5, length - 5));
      else if (kind === "CL" && length >= 12) this.child = fields.u32le(at + 4);
      else if (kind === "RE") this.moved = true;
      else if (kind === "ZF") {
        this.isPacked = true;
        this.unpackedBytes = zisofsSize(fields.slice(at, length));
      } else if (kind === "TF" && length >= 5) this.modified ??= stampOf(fields.slice(at, length));
      else if (kind === "CE" && length >= 28)
        next = { block: fields.u32le(at + 4), offset: fields.u32le(at + 12), length: fields.u32le(at + 20) };
      at += length;
    }
    return next;
  }

  result(): RockRidge {
    const { modified, child, moved, isPacked, unpackedBytes } = this;
    const name = this.names.length > 0 ? decode(this.names) : null;
    const link = this.links.length > 0 ? linkText(this.links) : null;
    return { name, link, modified, child, moved, isPacked, unpackedBytes };
  }
}

function packedAs(
  unpackedBytes: number | null,
  storedBytes: number,
): Pick<IsoEntry, "sizeBytes" | "packedBytes"> | { unreadable: "compressed" } {
  return unpackedBytes === null ? { unreadable: "compressed" } : { sizeBytes: unpackedBytes, packedBytes: storedBytes };
}

function decode(pieces: Uint8Array[]): string {
  const joined = new Uint8Array(pieces.reduce((sum, piece) => sum + piece.length, 0));
  let filled = 0;
  for (const piece of pieces) {
    joined.set(piece, filled);
    filled += piece.length;
  }
  return new TextDecoder().decode(joined);
}

/** The component records of SL entries (P1282, 4.1.3.1), put together as a path. */
function linkText(areas: Uint8Array[]): string {
  const parts: string[] = [];
  let goesOn = false;
  for (const area of areas) {
    for (let at = 0; at + 2 <= area.length; ) {
      const [flags, length] = [area[at] ?? 0, area[at + 1] ?? 0];
      const text = new TextDecoder().decode(area.subarray(at + 2, at + 2 + length));
      const part = flags & 2 ? "." : flags & 4 ? ".." : flags & 8 ? "" : text;
      if (goesOn) parts.push((parts.pop() ?? "") + part);
      else parts.push(part);
      goesOn = (flags & 1) !== 0;
      at += 2 + length;
    }
  }
  return parts.length === 1 && parts[0] === "" ? "/" : parts.join("/");
}

/** The time of modification in a TF entry, in either of its two forms (P1282, 4.1.6). */
function stampOf(entry: Uint8Array): string | null {
  const flags = entry[4] ?? 0;
  if (!(flags & 2)) return null;
  const width = flags & 0x80 ? 17 : 7;
  const at = 5 + (flags & 1 ? width : 0);
  if (at + width > entry.length) return null;
  const stamp = entry.subarray(at, at + width);
  return width === 7 ? recordTime(stamp) : descriptorTime(latin1(stamp.subarray(0, 16)), stamp[16] ?? 0);
}

/** ECMA-119 9.1.5. */
function recordTime(bytes: Uint8Array): string | null {
  const [year, month, day, hour, minute, second, offset] = [...bytes] as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  return isoTime(1900 + year, month, day, hour, minute, second, offset);
}
