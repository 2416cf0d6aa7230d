import { Fields, hasText } from "../kernel/fields";
import { type ByteSource, readExactly } from "../kernel/source";

/**
 * The restart pages of $LogFile, as the kernel's and ntfs-3g's open drivers read them (`logfile.h`): two of them, of
 * which the one with the later sequence number counts.
 */
const RESTART = { none: 0xffff, volumeIsClean: 0x2 };
const PAGE_MAX_BYTES = 64 * 1024;

interface RestartPage {
  sequence: bigint;
  isTakenIn: boolean;
}

function restartPage(bytes: Uint8Array): RestartPage | null {
  const fields = new Fields(bytes);
  if (!hasText(bytes, 0, "RSTR")) return null;
  const area = fields.u16le(24);
  // The area begins behind the header of the page, and what is read of it lies before the first sector's fix-up.
  if (area < 30 || area + 16 > 510) return null;
  const isTakenIn = fields.u16le(area + 12) === RESTART.none || (fields.u16le(area + 14) & RESTART.volumeIsClean) !== 0;
  return { sequence: fields.u64le(area), isTakenIn };
}

/** Whether everything that the log knows was taken into the volume. A log that was never used is full of ones. */
export async function isLogTakenIn(log: ByteSource): Promise<boolean> {
  const first = await readExactly(log, 0, 512);
  if (!first) return false;
  if (first.every((byte) => byte === 0xff)) return true;
  const one = restartPage(first);
  const pageBytes = hasText(first, 0, "RSTR") ? new Fields(first).u32le(16) : 4096;
  const second = pageBytes >= 512 && pageBytes <= PAGE_MAX_BYTES ? await readExactly(log, pageBytes, 512) : null;
  const pages = [one, second && restartPage(second)].filter((page) => page !== null);
  const [latest] = pages.sort((a, b) => (a.sequence < b.sequence ? 1 : -1));
  return latest?.isTakenIn ?? false;
}
