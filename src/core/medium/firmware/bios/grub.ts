import { Fields, isZero, latin1, toSafeNumber } from "../../../kernel/fields";
import { type ByteSource, type Extent, ExtentSource, readExactly, WindowSource } from "../../../kernel/source";
import { type Drive, type Outcome, type Run, readSector, SECTOR_BYTES, stop } from "./machine";

/** Where GRUB's first sector keeps its core's address: GRUB_BOOT_MACHINE_KERNEL_SECTOR, and the hybrid's own. */
const CORE_AT = { grub: 0x5c, "grub-hybrid": 0x1b0 } as const;
/** First of the block lists that grow down from the end of diskboot.img (GRUB_BOOT_MACHINE_LIST_SIZE = 12). */
const LIST_AT = 0x1f4;
const LIST_ENTRY_BYTES = 12;
const LISTS_MAX = 32;
/** Room below the video memory: no core for real mode is larger (GRUB 2.06, `GRUB_KERNEL_I386_PC_LINK_ADDR`). */
const CORE_MAX_SECTORS = 1200;

/** GRUB's first sector loads one sector, which loads the core by its block lists, and the core starts. */
export async function followGrub(
  run: Run,
  drive: Drive,
  sector: Uint8Array,
  program: "grub" | "grub-hybrid",
): Promise<Outcome> {
  const address = toSafeNumber(new Fields(sector).u64le(CORE_AT[program])) ?? Number.MAX_SAFE_INTEGER;
  const missing = { code: "core-missing", place: drive.place, program, sector: address } as const;
  const first = address < drive.sectors ? await readSector(drive, address) : null;
  if (!first || !isDiskboot(first)) return stop(run, missing);
  const core = await followBlockLists(drive, first);
  if (core === "outside") return stop(run, { ...missing, code: "core-cut" });
  if (core === "damaged") return stop(run, { code: "core-damaged", place: drive.place, program });
  return stop(run, { code: "core-runs", place: drive.place, program }, "starts");
}

function isDiskboot(sector: Uint8Array): boolean {
  return latin1(sector).includes("loading\0.\0\r\n\0Geom\0Read\0 Error\0");
}

async function followBlockLists(drive: Drive, diskboot: Uint8Array): Promise<"good" | "outside" | "damaged"> {
  const fields = new Fields(diskboot);
  let sectors = 0;
  const extents: Extent[] = [];
  for (let i = 0; i < LISTS_MAX; i++) {
    const at = LIST_AT - i * LIST_ENTRY_BYTES;
    const start = toSafeNumber(fields.u64le(at)) ?? Number.MAX_SAFE_INTEGER;
    const count = fields.u16le(at + 8);
    if (count === 0) break;
    if (start + count > drive.sectors) return "outside";
    extents.push({ start: start * SECTOR_BYTES, lengthBytes: count * SECTOR_BYTES });
    sectors += count;
    if (sectors > CORE_MAX_SECTORS) return "damaged";
  }
  const core = new ExtentSource(drive.source, extents, sectors * SECTOR_BYTES);
  return (await isWholeCore(core)) ? "good" : "damaged";
}

/** Bytes of startup_raw.S before the compressed part: its code, with zeros of its own in between. */
const STARTUP_BYTES = 0x800;

/**
 * startup_raw.S: a jump over the header, then the compressed size. A core that says it is longer than what was
 * loaded runs into whatever lies behind it, and compressed data has no sector of nothing but zeros: where one is,
 * something was overwritten. Other damage does not show here.
 */
async function isWholeCore(core: ByteSource): Promise<boolean> {
  const head = await readExactly(core, 0, SECTOR_BYTES);
  if (!head) return false;
  const fields = new Fields(head);
  const compressedBytes = fields.u32le(8);
  if (fields.u8(0) !== 0xea || compressedBytes === 0 || compressedBytes > core.sizeBytes) return false;
  const body = await core.read(0, compressedBytes);
  if (body.length < compressedBytes || isZero(body.subarray(32, SECTOR_BYTES))) return false;
  for (let at = STARTUP_BYTES; at + SECTOR_BYTES <= body.length; at += SECTOR_BYTES) {
    if (isZero(body.subarray(at, at + SECTOR_BYTES))) return false;
  }
  return true;
}

/** cdboot.img at the head of a disc's start image: it loads the rest by the boot info table. */
export async function followGrubDisc(run: Run, drive: Drive, image: Uint8Array): Promise<Outcome> {
  const program = "grub-disc" as const;
  const fields = new Fields(image);
  // Bytes 12 and 16 of the boot info table: the image's sector on the disc and its length (mkisofs(8), "EL TORITO").
  const sector = fields.u32le(12);
  const lengthBytes = fields.u32le(16);
  if (lengthBytes === 0) return stop(run, { code: "boot-info-missing", place: drive.place });
  const start = sector * 2048;
  if (start + lengthBytes > drive.medium.sizeBytes)
    return stop(run, { code: "core-cut", place: drive.place, program, sector });
  // Behind cdboot.img (one disc sector) stands diskboot.img, which cdboot jumps over, then the core.
  const skipped = 2048 + SECTOR_BYTES;
  const core = new WindowSource(drive.medium, start + skipped, lengthBytes - skipped);
  if (!(await isWholeCore(core))) return stop(run, { code: "core-damaged", place: drive.place, program });
  return stop(run, { code: "core-runs", place: drive.place, program }, "starts");
}
