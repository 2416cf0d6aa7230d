import { createHash } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { firmwareFiles, OVMF } from "../../src/server/host/emulator-args";
import type { Machine } from "./machine";

/** What the firmware did with a medium, and the digest of all that decides it. */
export interface Observation {
  started: boolean;
  digest: string;
}

const FILE = "test/referee/observed.json";
/** SeaBIOS, as Debian's package lays it. */
const BIOS_FILES = ["/usr/share/seabios/bios-256k.bin", "/usr/share/seabios/bios.bin"];

/** What was observed, by the names of the cells. */
export function readObservations(): Record<string, Observation> {
  return JSON.parse(readFileSync(FILE, "utf8")) as Record<string, Observation>;
}

/** Adds to what was observed before. */
export function keepObservations(fresh: Record<string, Observation>): void {
  const before = existsSync(FILE) ? readObservations() : {};
  const sorted = Object.entries({ ...before, ...fresh }).sort(([a], [b]) => (a < b ? -1 : 1));
  writeFileSync(FILE, `${JSON.stringify(Object.fromEntries(sorted), null, 2)}\n`);
}

const digests = new Map<string, string>();

/** SHA-256 of a file, lower-case hex. Files that are asked for twice are firmware, which does not change. */
function firmwareDigest(path: string): string {
  const known = digests.get(path) ?? createHash("sha256").update(readFileSync(path)).digest("hex");
  digests.set(path, known);
  return known;
}

/** The digest of a medium, the firmware that it is tried on, and that firmware's lists: the same does the same. */
export function cellDigest(image: string, { firmware, as, lists }: Machine): string {
  const files = firmwareFiles(firmware, lists);
  const parts = files ? [join(OVMF, files.code), join(OVMF, files.vars)] : BIOS_FILES.filter(existsSync).slice(0, 1);
  const hash = createHash("sha256");
  hash.update(JSON.stringify([firmware, as, ...parts.map(firmwareDigest)]));
  if (lists) {
    const { pk, kek, db, dbx, sbatLevel, enabled } = lists;
    for (const list of [pk, kek, db, dbx]) hash.update(`${list.length} `).update(list);
    hash.update(JSON.stringify([sbatLevel, enabled]));
  }
  return hash.update(readFileSync(image)).digest("hex");
}
