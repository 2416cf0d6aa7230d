import { createHash } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { MARKER } from "../../scripts/media/workshop";
import { isZero } from "../../src/core/kernel/fields";
import { firmwareFiles, OVMF } from "../../src/server/host/emulator-args";
import { type Machine, powerOn } from "./machine";

/** What the firmware did with a medium, and the digest of all that decides it. */
export interface Observation {
  started: boolean;
  digest: string;
}

const FILE = "test/referee/observed.json";
/** The same of media that Creel laid out itself, with what their start files printed. */
const LAID_OUT_FILE = "test/referee/observed-laid-out.json";
/** SeaBIOS, as Debian's package lays it. */
const BIOS_FILES = ["/usr/share/seabios/bios-256k.bin", "/usr/share/seabios/bios.bin"];

function read<T extends Observation>(file: string): Record<string, T> {
  return existsSync(file) ? (JSON.parse(readFileSync(file, "utf8")) as Record<string, T>) : {};
}

function keep(file: string, fresh: Record<string, Observation>): void {
  const sorted = Object.entries({ ...read(file), ...fresh }).sort(([a], [b]) => (a < b ? -1 : 1));
  writeFileSync(file, `${JSON.stringify(Object.fromEntries(sorted), null, 2)}\n`);
}

/** What was observed, by the names of the cells. */
export function readObservations(): Record<string, Observation> {
  return read(FILE);
}

/** Adds to what was observed before. */
export function keepObservations(fresh: Record<string, Observation>): void {
  keep(FILE, fresh);
}

interface LaidOutObservation extends Observation {
  /** The word before the marker that the start files printed, one for each time; empty where there is none. */
  said: string[];
}

const SAID = new RegExp(`(?:(ONE|TWO|THREE|FOUR)-)?${MARKER}`, "g");

/**
 * What a computer does with a medium that Creel laid out. It is started only where it is not known what it did with the
 * very same bytes; with CREEL_START_ALL set it is started in any case, and CREEL_RECORD keeps what it did.
 */
export async function observe(
  name: string,
  image: string,
  machine: Machine,
  scratch: string,
): Promise<{ started: boolean; said: string[]; log: string }> {
  const known = read<LaidOutObservation>(LAID_OUT_FILE)[name];
  const digest = cellDigest(imageDigest(image), machine);
  if (known?.digest === digest && !process.env.CREEL_START_ALL) return { ...known, log: "as it was recorded" };
  const { started, log } = await powerOn(image, machine, scratch);
  const said = [...log.matchAll(SAID)].map(([, word = ""]) => word);
  const seen: LaidOutObservation = { started, digest, said };
  if (process.env.CREEL_RECORD) keep(LAID_OUT_FILE, { [name]: seen });
  return { ...seen, log };
}

const digests = new Map<string, string>();

/** SHA-256 of a file, lower-case hex. Files that are asked for twice are firmware, which does not change. */
function firmwareDigest(path: string): string {
  const known = digests.get(path) ?? createHash("sha256").update(readFileSync(path)).digest("hex");
  digests.set(path, known);
  return known;
}

const PIECE_BYTES = 64 << 10;

/** SHA-256 of a medium's file, lower-case hex: its length, and each piece that is not all zeros with its place. */
export function imageDigest(image: string): string {
  const file = readFileSync(image);
  const hash = createHash("sha256").update(`${file.length}`);
  for (let at = 0; at < file.length; at += PIECE_BYTES) {
    const piece = file.subarray(at, at + PIECE_BYTES);
    if (!isZero(piece)) hash.update(` ${at} `).update(piece);
  }
  return hash.digest("hex");
}

/** The digest of a medium (`imageDigest`), the firmware it is tried on, and that firmware's lists: the same does the same. */
export function cellDigest(image: string, { firmware, as, lists, sectorBytes }: Machine): string {
  const files = firmwareFiles(firmware, lists);
  const parts = files ? [join(OVMF, files.code), join(OVMF, files.vars)] : BIOS_FILES.filter(existsSync).slice(0, 1);
  const hash = createHash("sha256");
  hash.update(
    JSON.stringify([firmware, sectorBytes ? `${as} ${sectorBytes}` : as, image, ...parts.map(firmwareDigest)]),
  );
  if (lists) {
    const { pk, kek, db, dbx, sbatLevel, enabled } = lists;
    for (const list of [pk, kek, db, dbx]) hash.update(`${list.length} `).update(list);
    hash.update(JSON.stringify([sbatLevel, enabled]));
  }
  return hash.digest("hex");
}
