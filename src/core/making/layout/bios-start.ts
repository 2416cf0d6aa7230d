import { Put } from "../../kernel/put";

/**
 * GRUB's two BIOS stages as its own tools make them: `boot.img` for the first sector and `core.img` for a run of
 * sectors. Places after GRUB's `include/grub/i386/pc/boot.h` and `util/setup.c`.
 */
export interface BiosStart {
  boot: Uint8Array;
  core: Uint8Array;
}

const SECTOR_BYTES = 512;
const START_CODE_BYTES = 440;
const CORE_LBA_AT = 0x5c;
const DRIVE_CHECK_AT = 0x66;
const LIST_AT = 0x1f4;
const LOAD_SEGMENT = 0x820;

/** The two stages, each told where the next one lies. `coreLba`: the first sector of the core. */
export function placedBiosStart(
  { boot, core }: BiosStart,
  coreLba: number,
): { startCode: Uint8Array; core: Uint8Array } {
  const code = new Put(boot.slice(0, START_CODE_BYTES));
  // Some firmware hands over a wrong drive number: the check for it is switched on by taking out the jump past it.
  code
    .u64le(CORE_LBA_AT, coreLba)
    .u8(DRIVE_CHECK_AT, 0x90)
    .u8(DRIVE_CHECK_AT + 1, 0x90);
  const sectors = Math.ceil(core.length / SECTOR_BYTES);
  const padded = new Uint8Array(sectors * SECTOR_BYTES);
  padded.set(core);
  const placed = new Put(padded);
  placed
    .u64le(LIST_AT, coreLba + 1)
    .u16le(LIST_AT + 8, sectors - 1)
    .u16le(LIST_AT + 10, LOAD_SEGMENT);
  return { startCode: code.bytes, core: placed.bytes };
}
