import { crc32 } from "node:zlib";
import { fixedGuid, type Workshop } from "../../scripts/media/workshop";
import { type Case, type Cell, espVolume, gptStick, LARGE_SECTORS, syslinuxStick } from "./blocks";

const SECTOR_BYTES = 4096;
const ARRAY_BYTES = 128 * 128;

/** A GPT in sectors of 4,096 bytes with one partition at 1 MiB, by the standard: UEFI 2.10, 5.3.2 and 5.3.3. */
function gptOfLargeSectors(w: Workshop, name: string, sizeMiB: number, volume: string): string {
  const image = w.blank(name, sizeMiB);
  const last = (sizeMiB << 20) / SECTOR_BYTES - 1;
  const first = (1 << 20) / SECTOR_BYTES;
  const arraySectors = ARRAY_BYTES / SECTOR_BYTES;
  const guid = (number: number) => Buffer.from(fixedGuid(number).replaceAll("-", ""), "hex");
  const array = Buffer.alloc(ARRAY_BYTES);
  // EFI System, as its bytes stand on a disk.
  Buffer.from("28732ac11ff8d211ba4b00a0c93ec93b", "hex").copy(array);
  guid(1).copy(array, 16);
  array.writeBigUInt64LE(BigInt(first), 32);
  array.writeBigUInt64LE(BigInt(first + w.bytes(volume).length / SECTOR_BYTES - 1), 40);
  const header = (own: number, other: number, arrayAt: number) => {
    const bytes = Buffer.alloc(SECTOR_BYTES);
    bytes.write("EFI PART", "latin1");
    bytes.writeUInt32LE(0x10000, 8);
    bytes.writeUInt32LE(92, 12);
    const places = [own, other, 2 + arraySectors, last - arraySectors - 1];
    for (const [nth, place] of places.entries()) bytes.writeBigUInt64LE(BigInt(place), 24 + nth * 8);
    guid(0).copy(bytes, 56);
    bytes.writeBigUInt64LE(BigInt(arrayAt), 72);
    bytes.writeUInt32LE(128, 80);
    bytes.writeUInt32LE(128, 84);
    bytes.writeUInt32LE(crc32(array), 88);
    bytes.writeUInt32LE(crc32(bytes.subarray(0, 92)), 16);
    return bytes;
  };
  const guard = Buffer.alloc(512);
  Buffer.from([0, 0, 2, 0, 0xee, 0xff, 0xff, 0xff, 1, 0, 0, 0]).copy(guard, 446);
  guard.writeUInt32LE(last, 458);
  guard.writeUInt16LE(0xaa55, 510);
  w.put(image, 0, guard);
  w.put(image, SECTOR_BYTES, header(1, last, 2));
  w.put(image, 2 * SECTOR_BYTES, array);
  w.put(image, (last - arraySectors) * SECTOR_BYTES, array);
  w.put(image, last * SECTOR_BYTES, header(last, 1, last - arraySectors));
  w.put(image, 1 << 20, volume);
  return image;
}

/** A volume whose own sectors are of 4,096 bytes. */
const largeVolume = (w: Workshop) =>
  w.fat("esp-4096.img", 24, 12, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "EFI/BOOT/BOOTIA32.EFI": w.efi("ia32") }, [
    "-S",
    "4096",
  ]);

const LARGE_UEFI: Cell[] = [
  ["uefi-x64", LARGE_SECTORS],
  ["uefi-ia32", LARGE_SECTORS],
];
const LARGE_BIOS: Cell[] = [["bios", LARGE_SECTORS]];

/** Sticks whose sectors are of 4,096 bytes. */
export const SECTOR_CASES: Case[] = [
  { name: "large-gpt", make: (w) => gptOfLargeSectors(w, "large-gpt.img", 32, largeVolume(w)), on: LARGE_UEFI },
  {
    name: "large-gpt-small-volume",
    make: (w) => gptOfLargeSectors(w, "large-gpt-small.img", 24, espVolume(w)),
    on: LARGE_UEFI,
  },
  {
    name: "large-gpt-elsewhere",
    make: (w) => gptOfLargeSectors(w, "large-else.img", 24, espVolume(w)),
    on: [["uefi-x64", "usb"]],
  },
  { name: "large-gpt-of-512", make: (w) => gptStick(w, "large-512.img"), on: LARGE_UEFI },
  {
    name: "large-mbr",
    make: (w) => w.mbr("large-mbr.img", 24, "256,5120,ef", { 1048576: espVolume(w) }),
    on: LARGE_UEFI,
  },
  {
    name: "large-unpartitioned",
    make: (w) => w.copy(espVolume(w), "large-bare.img"),
    on: [...LARGE_UEFI, ...LARGE_BIOS],
  },
  { name: "large-unpartitioned-volume", make: (w) => w.copy(largeVolume(w), "large-bare-4096.img"), on: LARGE_UEFI },
  { name: "large-bios", make: (w) => syslinuxStick(w, "large-bios.img"), on: LARGE_BIOS },
];
