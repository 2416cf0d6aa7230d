import { type ByteSource, readExactly } from "../../bytes/source";
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

export function readSector(drive: Drive, sector: number): Promise<Uint8Array | null> {
  return readExactly(drive.source, sector * SECTOR_BYTES, SECTOR_BYTES);
}

export function driveOf(source: ByteSource, place: Place = [], medium: ByteSource = source): Drive {
  return { source, place, medium, sectors: Math.floor(source.sizeBytes / SECTOR_BYTES) };
}

/**
 * The geometry that the reference BIOS makes up for a USB disk (SeaBIOS 1.16, block.c, `setup_translation`, the
 * LBA case). It reads sector 0 by it, so a disk too small for one cylinder cannot be read at all.
 */
export function geometryOf(sectors: number): { cylinders: number; heads: number; sectorsPerTrack: number } {
  const sectorsPerTrack = 63;
  const tracks = Math.floor(sectors / sectorsPerTrack);
  const least = tracks / 1024;
  const heads = least > 128 ? 255 : ([16, 32, 64, 128].find((each) => least <= each) ?? 255);
  return { cylinders: Math.min(1024, Math.floor(tracks / heads)), heads, sectorsPerTrack };
}
