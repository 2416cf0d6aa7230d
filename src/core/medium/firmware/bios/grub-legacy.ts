import { concatBytes } from "@noble/hashes/utils.js";
import { findEntry } from "../../../formats/file-tree";
import { decodeMbr } from "../../../formats/mbr";
import { openTree } from "../../../formats/open-tree";
import { Fields, hasText, latin1 } from "../../../kernel/fields";
import { readExactly, WindowSource } from "../../../kernel/source";
import { type Drive, type Outcome, type Run, readSector, SECTOR_BYTES, stop } from "./machine";

// GRUB 0.9x, after its sources: stage1/stage1.S and stage1.h, stage2/start.S, asm.S and shared.h.
const PROGRAM = "grub-legacy" as const;
const STAGE2_SECTOR_AT = 0x44;
/** Block lists of eight bytes grow down from the end of the first sector of the next stage. */
const LIST_AT = 0x1f8;
const LIST_ENTRY_BYTES = 8;
const LISTS_MAX = 60;
const STAGE_MAX_SECTORS = 1024;
/** Behind the first sector of a stage: its partition, its kind, its version, and the file that comes next. */
const PARTITION_AT = 0x17;
const KIND_AT = 0x10;
const VERSION_AT = 0x12;
const STAGE2_KIND = 0;
/** A drive below this many sectors it does not find: seen on the reference BIOS, and published nowhere. */
const DRIVE_LEAST_SECTORS = 65_536;

/** GRUB 0.9x from a first sector: a stage for one kind of file system, or the second stage itself. */
export async function followGrubLegacy(run: Run, drive: Drive, sector: Uint8Array): Promise<Outcome> {
  const { place } = drive;
  const address = new Fields(sector).u32le(STAGE2_SECTOR_AT);
  const missing = { code: "core-missing", place, program: PROGRAM, sector: address } as const;
  const first = address > 0 && address < drive.sectors ? await readSector(drive, address) : null;
  if (!first || !latin1(first).includes("Loading stage")) return stop(run, missing);
  const core = await stageOf(drive, first);
  if (core === null) return stop(run, { ...missing, code: "core-cut" });
  const damaged = { code: "core-damaged", place, program: PROGRAM } as const;
  // Its head says which compatibility version it is of (COMPAT_VERSION, 3.2), behind a jump over it.
  if (core.length < SECTOR_BYTES || !hasText(core, 6, "\x03\x02") || core[0] !== 0xea) return stop(run, damaged);
  if (drive.sectors < DRIVE_LEAST_SECTORS) return stop(run, { ...missing, code: "drive-too-small" });
  if (core[KIND_AT] !== STAGE2_KIND) {
    const file = await missingStage2(drive, core);
    if (file) return stop(run, { code: "module-missing", place, file });
  }
  return stop(run, { code: "core-runs", place, program: PROGRAM }, "starts");
}

/** What the block lists name; null where one leaves the drive. */
async function stageOf(drive: Drive, first: Uint8Array): Promise<Uint8Array | null> {
  const fields = new Fields(first);
  const parts: Uint8Array[] = [];
  let sectors = 0;
  for (let nth = 0; nth < LISTS_MAX; nth++) {
    const at = LIST_AT - nth * LIST_ENTRY_BYTES;
    const [start, count] = [fields.u32le(at), fields.u16le(at + 4)];
    if (count === 0) break;
    sectors += count;
    if (sectors > STAGE_MAX_SECTORS) return null;
    const bytes = await readExactly(drive.source, start * SECTOR_BYTES, count * SECTOR_BYTES);
    if (!bytes) return null;
    parts.push(bytes);
  }
  return concatBytes(...parts);
}

/** The second stage's path where it is not in the partition that an earlier stage looks into; null where it is. */
async function missingStage2(drive: Drive, core: Uint8Array): Promise<string | null> {
  const text = latin1(core.subarray(VERSION_AT, VERSION_AT + 300));
  // The version, then a number of the partition in four bytes, then the path, a space and the menu's.
  const end = text.indexOf("\0");
  const path = /^[^\0 ]+/.exec(text.slice(end + 5))?.[0] ?? "";
  const number = core[PARTITION_AT + 2] ?? 0xff;
  const sector = await readSector(drive, 0);
  const entry = sector && decodeMbr(sector).entries.find(({ slot }) => slot === number + 1);
  const source =
    number === 0xff || !entry
      ? drive.source
      : new WindowSource(drive.source, entry.startLba * SECTOR_BYTES, entry.sectors * SECTOR_BYTES);
  const opened = await openTree(source);
  const found = opened && (await findEntry(opened.tree, path));
  return found && !found.directory && found.sizeBytes > 0 ? null : path || "stage2";
}

/** stage2_eltorito: it loads the rest of itself by the boot info table, which the maker of the disc fills in. */
export async function followGrubLegacyDisc(run: Run, drive: Drive, image: Uint8Array, start: number): Promise<Outcome> {
  const { place } = drive;
  const lengthBytes = new Fields(image).u32le(16);
  if (new Fields(image).u32le(8) !== 16 || lengthBytes === 0) return stop(run, { code: "boot-info-missing", place });
  const whole = await readExactly(drive.medium, start, Math.min(lengthBytes, STAGE_MAX_SECTORS * SECTOR_BYTES));
  if (!whole) return stop(run, { code: "core-cut", place, program: PROGRAM, sector: start / SECTOR_BYTES });
  return stop(run, { code: "core-runs", place, program: PROGRAM }, "starts");
}
