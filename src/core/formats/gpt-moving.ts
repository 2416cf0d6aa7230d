import { crc32 } from "../kernel/crc32";
import { Fields, toSafeNumber } from "../kernel/fields";
import { Put } from "../kernel/put";
import { type ByteSource, MemorySource, readExactly } from "../kernel/source";
import { readGptHeader } from "./gpt";
import { isProtective, readMbr } from "./mbr";
import type { Piece } from "./pieces";

/**
 * The GPT of a disk as it has to stand on one of another size: its copy at the true end, and both headers saying so
 * (UEFI 2.10, 5.3.2). Partitions stay where they are. Null where no header of it is sound, or where a partition reaches
 * past what the other disk has.
 */
export async function gptForSize(source: ByteSource, sectorBytes: number, sectors: number): Promise<Piece[] | null> {
  const lastHere = Math.floor(source.sizeBytes / sectorBytes) - 1;
  const primary = await readGptHeader(source, 1, sectorBytes);
  const reading = primary.ok ? primary : await readGptHeader(source, lastHere, sectorBytes);
  if (!reading.ok) return null;
  const { lba, entriesLba, entries } = reading.header;
  const header = await readExactly(source, lba * sectorBytes, sectorBytes);
  if (!header) return null;
  const fields = new Fields(header);
  const arrayBytes = fields.u32le(80) * fields.u32le(84);
  const arraySectors = Math.ceil(arrayBytes / sectorBytes);
  const array = await readExactly(source, entriesLba * sectorBytes, arraySectors * sectorBytes);
  const last = sectors - 1;
  const lastUsable = last - arraySectors - 1;
  const firstUsable = toSafeNumber(fields.u64le(40));
  if (!array || firstUsable === null || entries.some((entry) => entry.endLba > lastUsable)) return null;
  // The first copy of the array stands behind its header; where only the last copy was sound it goes where it belongs.
  const firstArray = primary.ok ? entriesLba : 2;
  if (firstArray + arraySectors > firstUsable) return null;
  const headerAt = async (own: number, other: number, arrayLba: number) => {
    const out = new Put(header.slice());
    out.u32le(16, 0).u64le(24, own).u64le(32, other).u64le(48, lastUsable).u64le(72, arrayLba);
    return out.u32le(16, await crc32(out.bytes.slice(0, fields.u32le(12)))).bytes;
  };
  const piece = (lbaOf: number, bytes: Uint8Array): Piece => ({
    start: lbaOf * sectorBytes,
    content: new MemorySource(bytes),
  });
  return [
    ...(await protectivePiece(source, sectors)),
    piece(1, await headerAt(1, last, firstArray)),
    piece(firstArray, array),
    piece(last - arraySectors, array),
    piece(last, await headerAt(last, 1, last - arraySectors)),
  ];
}

/** The protective entry says how long the disk is (5.2.3); one beside other entries is left as it is. */
async function protectivePiece(source: ByteSource, sectors: number): Promise<Piece[]> {
  const mbr = await readMbr(source);
  const sector = await readExactly(source, 0, 512);
  const entry = mbr?.entries.find(isProtective);
  if (!sector || !entry || mbr?.entries.some((each) => each !== entry && each.type !== 0)) return [];
  const out = new Put(sector.slice());
  out.u32le(446 + (entry.slot - 1) * 16 + 12, Math.min(sectors - 1, 0xffffffff));
  return [{ start: 0, content: new MemorySource(out.bytes) }];
}
