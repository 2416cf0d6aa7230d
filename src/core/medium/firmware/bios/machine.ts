import { Fields } from "../../../kernel/fields";
import { type ByteSource, readExactly } from "../../../kernel/source";
import type { Place } from "../place";
import type { BiosStep, BiosView } from "./view";

export const SECTOR_BYTES = 512;

/** A drive as start code sees it: the medium itself, or the one that an emulating El Torito entry stands for. */
export interface Drive {
  source: ByteSource;
  place: Place;
  sectors: number;
  /** Where code that lies on a disc finds the whole disc; the drive itself otherwise. */
  medium: ByteSource;
}

/** What has happened so far, and what the running code may ask. */
export interface Run {
  steps: BiosStep[];
  leniencies: Set<BiosView["leniencies"][number]>;
}

export type Outcome = BiosView["outcome"];

/** Notes the step that ends the run. */
export function stop(run: Run, step: BiosStep, outcome: Outcome = "stops"): Outcome {
  run.steps.push(step);
  return outcome;
}

/** One sector of 512 bytes; null past the end, as the interrupt reports an error there. */
export function readSector(drive: Drive, sector: number): Promise<Uint8Array | null> {
  return readExactly(drive.source, sector * SECTOR_BYTES, SECTOR_BYTES);
}

/** A byte source as the drive that firmware sees; a last part of a sector is not there. */
export function driveOf(source: ByteSource, place: Place = [], medium: ByteSource = source): Drive {
  return { source, place, medium, sectors: Math.floor(source.sizeBytes / SECTOR_BYTES) };
}

export interface Geometry {
  cylinders: number;
  heads: number;
  sectorsPerTrack: number;
}

/**
 * The geometry by which old-style addresses are read. The emulated drive reports the one that its partition table
 * was made with (QEMU, hd-geometry.c, `guess_disk_lchs`), as many BIOSes work it out too (common practice); the
 * reference BIOS takes it where it fits the drive and makes one up otherwise (SeaBIOS 1.16, block.c,
 * `get_translation` and `setup_translation`). It reads sector 0 this way, so a drive too small for one cylinder
 * cannot be read at all.
 */
export function geometryOf(sector: Uint8Array, sectors: number): Geometry {
  const reported = fromTable(new Fields(sector), sectors);
  if (reported && reported.cylinders * reported.heads <= 131072) return halved(reported);
  const sectorsPerTrack = 63;
  const tracks = Math.floor(sectors / sectorsPerTrack);
  const least = tracks / 1024;
  const heads = least > 128 ? 255 : ([16, 32, 64, 128].find((each) => least <= each) ?? 255);
  return { cylinders: Math.min(1024, Math.floor(tracks / heads)), heads, sectorsPerTrack };
}

function fromTable(fields: Fields, sectors: number): Geometry | null {
  if (fields.u16le(510) !== 0xaa55) return null;
  for (let at = 446; at < 510; at += 16) {
    const heads = fields.u8(at + 5) + 1;
    const sectorsPerTrack = fields.u8(at + 6) & 0x3f;
    if (fields.u32le(at + 12) === 0 || heads === 1 || sectorsPerTrack === 0) continue;
    const cylinders = Math.floor(sectors / (heads * sectorsPerTrack));
    if (cylinders >= 1 && cylinders <= 16383) return { cylinders, heads, sectorsPerTrack };
  }
  return null;
}

/** Cylinders past 1,024 are folded into heads. */
function halved({ cylinders, heads, sectorsPerTrack }: Geometry): Geometry {
  let [c, h] = [cylinders, heads];
  while (c > 1024 && h <= 127) [c, h] = [c >> 1, h << 1];
  return { cylinders: Math.min(1024, c), heads: h, sectorsPerTrack };
}
