import { existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, statfsSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

const RAM = "/dev/shm";
/** Media of the tests, and their databases, take a few gigabytes at most. */
const LEAST_BYTES = 6 * 2 ** 30;

/** A folder for what tests make, in memory where there is enough of it; `remove` takes it away with all that is in it. */
export function testFolder() {
  const parent = hasRoom() ? RAM : tmpdir();
  removeLeftOvers(parent);
  const folder = mkdtempSync(join(parent, `creel-tests-${process.pid}-`));
  const temp = join(folder, "tmp");
  mkdirSync(temp);
  return { folder, temp, remove: () => rmSync(folder, { recursive: true, force: true }) };
}

function hasRoom() {
  if (!existsSync(RAM)) return false;
  const { bavail, bsize } = statfsSync(RAM);
  return bavail * bsize >= LEAST_BYTES;
}

/** What runs that were killed left behind. */
function removeLeftOvers(parent) {
  for (const name of readdirSync(parent)) {
    const pid = /^creel-tests-(\d+)-/.exec(name)?.[1];
    if (pid && !existsSync(`/proc/${pid}`)) rmSync(join(parent, name), { recursive: true, force: true });
  }
}
