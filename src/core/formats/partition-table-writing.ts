import { crc32 } from "../kernel/crc32";
import { guidBytes, Put } from "../kernel/put";
import type { Seed } from "../kernel/seed";
import { MemorySource } from "../kernel/source";
import type { Piece } from "./pieces";

/** A partition to be entered into a table. Ends are exclusive here; the tables keep them their own way. */
export interface PartitionToWrite {
  startLba: number;
  sectors: number;
  /** Its type in a GPT. */
  type: string;
  /** Its type in an MBR. */
  mbrType: number;
  name: string;
  active: boolean;
}

export const GPT_TYPES = {
  efiSystem: "c12a7328-f81f-11d2-ba4b-00a0c93ec93b",
  basicData: "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7",
  biosBoot: "21686148-6449-6e6f-744e-656564454649",
} as const;

export const MBR_TYPES = { exfat: 0x07, fat32: 0x0c, efiSystem: 0xef, protective: 0xee } as const;

const GPT_ENTRIES = 128;
const ENTRY_BYTES = 128;
const HEADER_BYTES = 92;

/** Sectors that a GPT takes at the front (with the protective MBR) and at the end of a disk. */
export function gptSectors(sectorBytes: number): { front: number; end: number } {
  const array = (GPT_ENTRIES * ENTRY_BYTES) / sectorBytes;
  return { front: 2 + array, end: 1 + array };
}

/**
 * A protective MBR and both copies of a GPT (UEFI 2.10, 5.2.3 and 5.3). `startCode`: up to 440 bytes that a BIOS runs.
 */
export async function gptPieces(
  partitions: PartitionToWrite[],
  disk: { sectors: number; sectorBytes: number; seed: Seed; startCode?: Uint8Array },
): Promise<Piece[]> {
  const { sectors, sectorBytes, seed } = disk;
  const array = new Put(new Uint8Array(GPT_ENTRIES * ENTRY_BYTES));
  for (const [at, each] of partitions.entries()) {
    const entry = at * ENTRY_BYTES;
    array.raw(entry, guidBytes(each.type)).raw(entry + 16, seed.guid(`gpt partition ${at + 1}`));
    array.u64le(entry + 32, each.startLba).u64le(entry + 40, each.startLba + each.sectors - 1);
    // Attribute bit 2: legacy BIOS bootable (table 5.8); start code that follows the standard looks for it.
    array.u64le(entry + 48, each.active ? 4 : 0).utf16le(entry + 56, each.name.slice(0, 36));
  }
  const { front, end } = gptSectors(sectorBytes);
  const arraySum = await crc32(array.bytes);
  const header = async (lba: number, alternate: number, arrayLba: number) => {
    const out = new Put(new Uint8Array(sectorBytes));
    out.ascii(0, "EFI PART").u32le(8, 0x00010000).u32le(12, HEADER_BYTES);
    out
      .u64le(24, lba)
      .u64le(32, alternate)
      .u64le(40, front)
      .u64le(48, sectors - end - 1);
    out.raw(56, seed.guid("gpt disk")).u64le(72, arrayLba).u32le(80, GPT_ENTRIES).u32le(84, ENTRY_BYTES);
    out.u32le(88, arraySum);
    return out.u32le(16, await crc32(out.bytes.slice(0, HEADER_BYTES))).bytes;
  };
  const last = sectors - 1;
  const protective: PartitionToWrite = {
    startLba: 1,
    sectors: Math.min(sectors - 1, 0xffffffff),
    type: "",
    mbrType: MBR_TYPES.protective,
    name: "",
    active: false,
  };
  const piece = (lba: number, bytes: Uint8Array): Piece => ({
    start: lba * sectorBytes,
    content: new MemorySource(bytes),
  });
  return [
    piece(0, mbrSector([protective], { sectorBytes, signature: 0, startCode: disk.startCode })),
    piece(1, await header(1, last, 2)),
    piece(2, array.bytes),
    piece(sectors - end, array.bytes),
    piece(last, await header(last, 1, sectors - end)),
  ];
}

/** A master boot record with up to four partitions (UEFI 2.10, 5.2.1). */
export function mbrSector(
  partitions: PartitionToWrite[],
  disk: { sectorBytes: number; signature: number; startCode?: Uint8Array | undefined },
): Uint8Array {
  const out = new Put(new Uint8Array(disk.sectorBytes));
  if (disk.startCode) out.raw(0, disk.startCode.subarray(0, 440));
  out.u32le(440, disk.signature).u16le(510, 0xaa55);
  for (const [slot, each] of partitions.slice(0, 4).entries()) putMbrEntry(out, slot, each);
  return out.bytes;
}

/** One slot (0 to 3) of a table that is there. */
export function putMbrEntry(out: Put, slot: number, { startLba, sectors, mbrType, active }: PartitionToWrite): void {
  const at = 446 + slot * 16;
  out
    .u8(at, active ? 0x80 : 0)
    .raw(at + 1, chs(startLba))
    .u8(at + 4, mbrType);
  out.raw(at + 5, mbrType === MBR_TYPES.protective ? Uint8Array.of(0xff, 0xff, 0xff) : chs(startLba + sectors - 1));
  out.u32le(at + 8, startLba).u32le(at + 12, sectors);
}

/** Cylinder, head and sector with 255 heads and 63 sectors; what is past them is written as the last there is. */
function chs(lba: number): Uint8Array {
  const [cylinder, head, sector] = [Math.floor(lba / (255 * 63)), Math.floor(lba / 63) % 255, (lba % 63) + 1];
  if (cylinder > 1023) return Uint8Array.of(0xfe, 0xff, 0xff);
  return Uint8Array.of(head, sector | ((cylinder >> 2) & 0xc0), cylinder & 0xff);
}

/** A classic MBR has 32-bit sector numbers. UEFI 2.10, 5.2.1. */
export const MBR_SECTORS_MOST = 2 ** 32 - 1;
