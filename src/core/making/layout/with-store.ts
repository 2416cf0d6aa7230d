import { planExfat } from "../../formats/exfat-writing";
import { type GptHeader, readGptHeader } from "../../formats/gpt";
import { decodeMbr, isProtective, isUsed, MBR_TYPE_PROTECTIVE } from "../../formats/mbr";
import { GPT_TYPES, MBR_TYPES, type PartitionToWrite, putMbrEntry } from "../../formats/partition-table-writing";
import { inOrder, type Layout, overlaid, type Piece, shifted, ZeroSource } from "../../formats/pieces";
import type { FileToWrite, VolumeProblem } from "../../formats/tree-writing";
import { crc32 } from "../../kernel/crc32";
import { guidBytes, Put } from "../../kernel/put";
import type { Seed } from "../../kernel/seed";
import { type ByteSource, MemorySource, PaddedSource, readExactly } from "../../kernel/source";

/** Why an image cannot be put on a device, or a store not behind it. */
export type ImageProblem =
  | { code: "device-too-small"; bytes: number; neededBytes: number }
  | { code: "no-table" }
  | { code: "table-full"; table: "mbr" | "gpt" }
  | { code: "no-room-for-store"; bytes: number; leastBytes: number }
  | { code: "past-table-reach"; bytes: number; mostBytes: number }
  | (VolumeProblem & { part: "store" });

interface ImageOnDevice {
  layout: Layout;
  /** Where the store lies; null where there is none. */
  store: { startBytes: number; lengthBytes: number; freeBytes: number; label: string } | null;
  /** Tables that were changed for it. */
  mended: ("mbr" | "gpt")[];
}

export type ImageOnDeviceResult = { ok: true; value: ImageOnDevice } | { ok: false; problems: ImageProblem[] };

const SECTOR_BYTES = 512;
const ALIGN_BYTES = 1 << 20;
const STORE_LEAST_BYTES = 64 << 20;

/**
 * An image block by block, as it is, on a device of some size. `isWrittenOnce`: the end of the device is not emptied, as
 * nothing can be left there from before.
 */
export function asItIs(
  image: ByteSource,
  deviceBytes: number,
  { isWrittenOnce = false }: { isWrittenOnce?: boolean } = {},
): ImageOnDeviceResult {
  const content = new PaddedSource(image, SECTOR_BYTES);
  if (content.sizeBytes > deviceBytes)
    return { ok: false, problems: [{ code: "device-too-small", bytes: deviceBytes, neededBytes: content.sizeBytes }] };
  return {
    ok: true,
    value: {
      layout: {
        sizeBytes: deviceBytes,
        pieces: [{ start: 0, content }, ...(isWrittenOnce ? [] : staleEnd(content.sizeBytes, deviceBytes))],
      },
      store: null,
      mended: [],
    },
  };
}

/** A table's second copy that an earlier content left at the end of the device would be taken for this one's. */
const END_BYTES = 34 * SECTOR_BYTES;

function staleEnd(imageBytes: number, deviceBytes: number): Piece[] {
  const from = Math.max(imageBytes, deviceBytes - END_BYTES);
  return deviceBytes > from ? [{ start: from, content: new ZeroSource(deviceBytes - from) }] : [];
}

/**
 * An image as it is with an exFAT store in the rest of the device: the store is entered into whichever tables the image
 * has, and a GPT's second copy is moved to where it belongs, the end of the device (UEFI 2.10, 5.3.2).
 */
export async function withStore(
  image: ByteSource,
  deviceBytes: number,
  { label, files, seed, madeAt }: { label: string; files: readonly FileToWrite[]; seed: Seed; madeAt: string },
): Promise<ImageOnDeviceResult> {
  const plain = asItIs(image, deviceBytes);
  if (!plain.ok) return plain;
  const head = await readExactly(image, 0, SECTOR_BYTES);
  const mbr = head && decodeMbr(head);
  const gpt = await readGptHeader(image, 1, SECTOR_BYTES);
  const used = mbr?.signed ? mbr.entries.filter(isUsed) : [];
  if (!head || !mbr || (used.length === 0 && !gpt.ok)) return refused({ code: "no-table" });

  const sectors = Math.floor(deviceBytes / SECTOR_BYTES);
  const array = gpt.ok ? await gptArray(image, gpt.header) : null;
  const reserveSectors = gpt.ok && array ? 1 + Math.ceil(array.length / SECTOR_BYTES) : 0;
  const taken = Math.max(
    image.sizeBytes,
    ...used.filter((each) => !isProtective(each)).map(({ startLba, sectors: own }) => (startLba + own) * SECTOR_BYTES),
  );
  const start = Math.ceil(taken / ALIGN_BYTES) * ALIGN_BYTES;
  const end = Math.floor(((sectors - reserveSectors) * SECTOR_BYTES) / ALIGN_BYTES) * ALIGN_BYTES;
  if (end - start < STORE_LEAST_BYTES)
    return refused({ code: "no-room-for-store", bytes: Math.max(0, end - start), leastBytes: STORE_LEAST_BYTES });
  const part: PartitionToWrite = {
    startLba: start / SECTOR_BYTES,
    sectors: (end - start) / SECTOR_BYTES,
    type: GPT_TYPES.basicData,
    mbrType: MBR_TYPES.exfat,
    name: "Store",
    active: false,
  };
  const volume = planExfat(files, {
    sizeBytes: end - start,
    sectorBytes: SECTOR_BYTES,
    startLba: part.startLba,
    label,
    seed: seed.with("store"),
    madeAt,
  });
  if (!volume.ok) return { ok: false, problems: volume.problems.map((each) => ({ ...each, part: "store" as const })) };

  const over: Piece[] = [...shifted(volume.value.pieces, start)];
  const mended: ("mbr" | "gpt")[] = [];
  const sector = new Put(head.slice());
  const protective = mbr.entries.find(isProtective);
  const ordinary = used.filter((each) => each.type !== MBR_TYPE_PROTECTIVE);
  if (ordinary.length > 0) {
    const slot = mbr.entries.findIndex((each) => !isUsed(each));
    if (slot < 0) return refused({ code: "table-full", table: "mbr" });
    if (part.startLba + part.sectors > 2 ** 32)
      return refused({ code: "past-table-reach", bytes: end, mostBytes: 2 ** 32 * SECTOR_BYTES });
    putMbrEntry(sector, slot, part);
    mended.push("mbr");
  }
  if (protective && ordinary.length === 0) {
    // The protective entry covers the whole device, or as much as it can (UEFI 2.10, table 5.2).
    sector.u32le(446 + (protective.slot - 1) * 16 + 12, Math.min(sectors - 1, 0xffffffff));
    mended.push("mbr");
  }
  over.push({ start: 0, content: new MemorySource(sector.bytes) });
  if (gpt.ok && array) {
    const entered = enter(array, part, seed);
    if (!entered) return refused({ code: "table-full", table: "gpt" });
    over.push(...(await gptCopies(image, gpt.header, entered, sectors)));
    mended.push("gpt");
  }
  return {
    ok: true,
    value: {
      layout: { sizeBytes: sectors * SECTOR_BYTES, pieces: overlaid(plain.value.layout.pieces, inOrder(over)) },
      store: { startBytes: start, lengthBytes: end - start, freeBytes: volume.value.freeBytes, label },
      mended,
    },
  };
}

function refused(problem: ImageProblem): ImageOnDeviceResult {
  return { ok: false, problems: [problem] };
}

/** The entry array as it stands; its size has been checked with the header. */
async function gptArray(image: ByteSource, { lba, entriesLba }: GptHeader): Promise<Uint8Array | null> {
  const header = await readExactly(image, lba * SECTOR_BYTES, SECTOR_BYTES);
  if (!header) return null;
  const view = new DataView(header.buffer, header.byteOffset, header.byteLength);
  return readExactly(image, entriesLba * SECTOR_BYTES, view.getUint32(80, true) * view.getUint32(84, true));
}

const ENTRY_BYTES = 128;

/** The array with one more partition, in the first entry that is free. Null where none is. */
function enter(array: Uint8Array, part: PartitionToWrite, seed: Seed): Uint8Array | null {
  const out = new Put(array.slice());
  for (let at = 0; at + ENTRY_BYTES <= array.length; at += ENTRY_BYTES) {
    if (array.subarray(at, at + 16).some((byte) => byte !== 0)) continue;
    out.raw(at, guidBytes(part.type)).raw(at + 16, seed.guid("gpt store"));
    out.u64le(at + 32, part.startLba).u64le(at + 40, part.startLba + part.sectors - 1);
    out.u64le(at + 48, 0).utf16le(at + 56, part.name);
    return out.bytes;
  }
  return null;
}

/** Both headers and arrays anew, the second copy at the end of the device. */
async function gptCopies(image: ByteSource, header: GptHeader, array: Uint8Array, sectors: number): Promise<Piece[]> {
  const old = (await readExactly(image, header.lba * SECTOR_BYTES, SECTOR_BYTES)) as Uint8Array;
  const headerBytes = new DataView(old.buffer, old.byteOffset, old.byteLength).getUint32(12, true);
  const arraySectors = Math.ceil(array.length / SECTOR_BYTES);
  const last = sectors - 1;
  const arraySum = await crc32(array);
  const copy = async (lba: number, alternate: number, arrayLba: number): Promise<Uint8Array> => {
    const out = new Put(old.slice());
    out
      .u64le(24, lba)
      .u64le(32, alternate)
      .u64le(48, last - arraySectors - 1)
      .u64le(72, arrayLba)
      .u32le(88, arraySum);
    out.u32le(16, 0);
    return out.u32le(16, await crc32(out.bytes.slice(0, headerBytes))).bytes;
  };
  const piece = (lba: number, bytes: Uint8Array): Piece => ({
    start: lba * SECTOR_BYTES,
    content: new MemorySource(bytes),
  });
  return [
    piece(header.lba, await copy(header.lba, last, header.entriesLba)),
    piece(header.entriesLba, array),
    piece(last - arraySectors, array),
    piece(last, await copy(last, header.lba, last - arraySectors)),
  ];
}
