import { crc32 } from "../kernel/crc32";
import { Fields, guid, hasText, toSafeNumber, trimmed, utf16 } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";

/** What keeps a GPT header from counting. */
export type GptFault =
  | "outside-medium"
  | "no-signature"
  | "header-size"
  | "header-crc"
  | "wrong-place"
  | "entry-size"
  | "entries-outside-medium"
  | "entries-too-many"
  | "entries-crc";

/** A header with its entry array. UEFI 2.10, 5.3.2 and 5.3.3. Addresses are in sectors, ends inclusive as stored. */
export interface GptHeader {
  lba: number;
  alternateLba: number;
  firstUsableLba: number;
  lastUsableLba: number;
  entriesLba: number;
  diskGuid: string;
  entries: GptEntry[];
}

export interface GptEntry {
  /** 1 and up: the place in the array. */
  number: number;
  type: string;
  startLba: number;
  /** Inclusive. */
  endLba: number;
  attributes: bigint;
  name: string;
}

export type GptReading = { ok: true; header: GptHeader } | { ok: false; fault: GptFault };

/** Attribute bit 1: firmware must not look into this partition. UEFI 2.10, table 5.8. */
const GPT_NO_BLOCK_IO = 1n << 1n;
/** Attribute bit 2: legacy BIOS bootable. UEFI 2.10, table 5.8. */
export const GPT_LEGACY_BOOTABLE = 1n << 2n;

/** An entry array larger than this (8,192 entries of 128 bytes) is taken for damage. */
const ENTRIES_MAX_BYTES = 1 << 20;
const EMPTY_TYPE = "00000000-0000-0000-0000-000000000000";

/** Reads and checks the header at `lba`, and its entry array, with both CRCs. */
export async function readGptHeader(source: ByteSource, lba: number, sectorBytes: number): Promise<GptReading> {
  const refuse = (fault: GptFault): GptReading => ({ ok: false, fault });
  const sector = await readExactly(source, lba * sectorBytes, sectorBytes);
  if (!sector) return refuse("outside-medium");
  if (!hasText(sector, 0, "EFI PART")) return refuse("no-signature");
  const fields = new Fields(sector);
  const headerBytes = fields.u32le(12);
  if (headerBytes < 92 || headerBytes > sectorBytes) return refuse("header-size");
  const unsigned = sector.slice(0, headerBytes);
  unsigned.fill(0, 16, 20);
  if ((await crc32(unsigned)) !== fields.u32le(16)) return refuse("header-crc");
  if (fields.u64le(24) !== BigInt(lba)) return refuse("wrong-place");
  const entryCount = fields.u32le(80);
  const entryBytes = fields.u32le(84);
  if (entryBytes < 128) return refuse("entry-size");
  const arrayBytes = entryCount * entryBytes;
  if (arrayBytes > ENTRIES_MAX_BYTES) return refuse("entries-too-many");
  const entriesLba = toSafeNumber(fields.u64le(72));
  const array = entriesLba === null ? null : await readExactly(source, entriesLba * sectorBytes, arrayBytes);
  if (!array || entriesLba === null) return refuse("entries-outside-medium");
  if ((await crc32(array)) !== fields.u32le(88)) return refuse("entries-crc");
  return {
    ok: true,
    header: {
      lba,
      alternateLba: narrow(fields.u64le(32)),
      firstUsableLba: narrow(fields.u64le(40)),
      lastUsableLba: narrow(fields.u64le(48)),
      entriesLba,
      diskGuid: guid(fields, 56),
      entries: decodeEntries(array, entryCount, entryBytes),
    },
  };
}

/** Addresses past what a number holds are past every medium too. */
function narrow(value: bigint): number {
  return toSafeNumber(value) ?? Number.MAX_SAFE_INTEGER;
}

/** The used entries of an array, unchecked: also what boot code that checks no CRC would see. */
export function decodeEntries(array: Uint8Array, count: number, entryBytes: number): GptEntry[] {
  const fields = new Fields(array);
  const entries: GptEntry[] = [];
  for (let index = 0; index < count && (index + 1) * entryBytes <= array.length; index++) {
    const at = index * entryBytes;
    const type = guid(fields, at);
    if (type === EMPTY_TYPE) continue;
    entries.push({
      number: index + 1,
      type,
      startLba: narrow(fields.u64le(at + 32)),
      endLba: narrow(fields.u64le(at + 40)),
      attributes: fields.u64le(at + 48),
      name: trimmed(utf16(fields.slice(at + 56, 72))),
    });
  }
  return entries;
}

/** Why an entry of a good table is not used. Mirrors what the reference firmware refuses. */
export type GptEntryFault = "outside-usable" | "overlaps" | "no-block-io";

/** The faults of each entry by its number. UEFI 2.10, 5.3.3: inside the usable range, no overlap. */
export function checkGptEntries(header: GptHeader): Map<number, GptEntryFault> {
  const faults = new Map<number, GptEntryFault>();
  const inside = (lba: number) => lba >= header.firstUsableLba && lba <= header.lastUsableLba;
  for (const entry of header.entries) {
    if (entry.startLba > entry.endLba || !inside(entry.startLba) || !inside(entry.endLba)) {
      faults.set(entry.number, "outside-usable");
    }
    if ((entry.attributes & GPT_NO_BLOCK_IO) !== 0n) faults.set(entry.number, "no-block-io");
  }
  // Sorted by start, an overlap with any earlier entry is an overlap with the one that reaches furthest.
  const sorted = [...header.entries].sort((a, b) => a.startLba - b.startLba);
  let furthest: GptEntry | null = null;
  for (const entry of sorted) {
    if (furthest && entry.startLba <= furthest.endLba) {
      faults.set(entry.number, faults.get(entry.number) ?? "overlaps");
      faults.set(furthest.number, faults.get(furthest.number) ?? "overlaps");
    }
    if (!furthest || entry.endLba > furthest.endLba) furthest = entry;
  }
  return faults;
}

/** Names of partition type GUIDs. UEFI 2.10, table 5.7; the Discoverable Partitions Specification; common practice. */
const TYPE_NAMES: Record<string, string> = {
  "c12a7328-f81f-11d2-ba4b-00a0c93ec93b": "EFI system",
  "21686148-6449-6e6f-744e-656564454649": "BIOS boot",
  "e3c9e316-0b5c-4db8-817d-f92df00215ae": "Microsoft reserved",
  "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7": "basic data",
  "de94bba4-06d1-4d40-a16a-bfd50179d6ac": "Windows recovery",
  "0fc63daf-8483-4772-8e79-3d69d8477de4": "Linux data",
  "4f68bce3-e8cd-4db1-96e7-fbcaf984b709": "Linux root (x64)",
  "0657fd6d-a4ab-43c4-84e5-0933c84b4f4f": "Linux swap",
  "e6d6d379-f507-44c2-a23c-238f2a3df928": "Linux LVM",
  "bc13c2ff-59e6-4262-a352-b275fd6f7172": "Linux extended boot",
  "48465300-0000-11aa-aa11-00306543ecac": "HFS+",
};

/**
 * A partition type's usual name by its GUID; the GUID itself where it has none here. UEFI 2.10, 5.3.3; systemd's
 * Discoverable Partitions Specification.
 */
export function gptTypeName(type: string): string {
  return TYPE_NAMES[type] ?? "unnamed type";
}
