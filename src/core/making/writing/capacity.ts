import { blockDigest, sameBytes } from "./blocks";
import { type Device, DeviceFault } from "./device";
import { rateOf } from "./rate";

/** What a full write-and-read test of a device finds. */
export type CapacityResult =
  /** Rates in bytes a second; null where it went too quickly to tell. */
  | { state: "sound"; writeRate: number | null; readRate: number | null }
  /** It says more than it holds: what is written past its true size lands elsewhere or nowhere. */
  | { state: "counterfeit"; trueBytes: number; how: "wraps" | "drops" }
  /** Places that do not hold what is written; ends exclusive, in bytes. */
  | { state: "failing"; bad: { start: number; end: number }[] }
  | { state: "fault"; code: DeviceFault["code"]; offset: number | null; doneBytes: number }
  | { state: "stopped"; doneBytes: number };

export interface CapacityOptions {
  device: Device;
  /** Makes the content of each test its own: what is left of an earlier one is not taken for this one's. */
  seed: string;
  onProgress?: (progress: { phase: "write" | "read"; doneBytes: number; totalBytes: number }) => void;
  shouldStop?: () => boolean;
}

const STEP_BYTES = 1 << 20;
const BAD_MAX = 200;

/** A mebibyte that tells where it belongs: its place and the seed in every 64 bytes, with a digest of both in front. */
async function pattern(seed: string, offset: number, length: number): Promise<Uint8Array> {
  const digest = await blockDigest(new TextEncoder().encode(`${seed} ${offset}`));
  const out = new Uint8Array(length);
  const view = new DataView(out.buffer);
  for (let at = 0; at + 64 <= length; at += 64) {
    out.set(digest, at);
    view.setBigUint64(at + 32, BigInt(offset + at), true);
    view.setUint32(at + 40, (at * 2654435761) >>> 0, true);
  }
  return out;
}

/** The place that a stretch of a pattern says it belongs to; null where it is none of this test's. */
async function placeOf(seed: string, bytes: Uint8Array): Promise<number | null> {
  if (bytes.length < 64) return null;
  const place = Number(new DataView(bytes.buffer, bytes.byteOffset, 64).getBigUint64(32, true));
  const step = Math.floor(place / STEP_BYTES) * STEP_BYTES;
  const digest = await blockDigest(new TextEncoder().encode(`${seed} ${step}`));
  return sameBytes(bytes.slice(0, 32), digest) ? place : null;
}

/**
 * Writes every byte of a device, flushes, and reads every byte back. Everything on it is lost. Finds the true size of a
 * device that says too much: to the mebibyte.
 */
export async function testCapacity({ device, seed, onProgress, shouldStop }: CapacityOptions): Promise<CapacityResult> {
  const totalBytes = device.sizeBytes;
  const bad: { start: number; end: number }[] = [];
  const mark = (start: number, end: number) => {
    const last = bad.at(-1);
    const isKnownBad = bad.some((each) => each.start <= start && each.end >= end);
    if (isKnownBad) return;
    if (last && last.end === start) last.end = end;
    else if (bad.length < BAD_MAX) bad.push({ start, end });
  };
  let doneBytes = 0;
  try {
    const writeStart = performance.now();
    for (let at = 0; at < totalBytes; at += STEP_BYTES) {
      if (shouldStop?.()) return { state: "stopped", doneBytes };
      const length = Math.min(STEP_BYTES, totalBytes - at);
      try {
        await device.write(at, await pattern(seed, at, length));
      } catch (error) {
        if (!(error instanceof DeviceFault) || error.code !== "write-failed") throw error;
        mark(at, at + length);
      }
      doneBytes = at + length;
      onProgress?.({ phase: "write", doneBytes, totalBytes });
    }
    await device.flush();
    const readStart = performance.now();
    doneBytes = 0;
    const foreign: { start: number; place: number | null }[] = [];
    for (let at = 0; at < totalBytes; at += STEP_BYTES) {
      if (shouldStop?.()) return { state: "stopped", doneBytes };
      const length = Math.min(STEP_BYTES, totalBytes - at);
      try {
        const [bytes, wanted] = await Promise.all([device.read(at, length), pattern(seed, at, length)]);
        const from = firstDifference(bytes, wanted);
        if (from < length) {
          foreign.push({ start: at + from, place: await placeOf(seed, bytes.subarray(from)) });
          mark(at + from, at + length);
        }
      } catch (error) {
        if (!(error instanceof DeviceFault) || error.code !== "read-failed") throw error;
        mark(at, at + length);
      }
      doneBytes = at + length;
      onProgress?.({ phase: "read", doneBytes, totalBytes });
    }
    if (bad.length === 0) {
      const rate = (ms: number) => rateOf(totalBytes, ms);
      return { state: "sound", writeRate: rate(readStart - writeStart), readRate: rate(performance.now() - readStart) };
    }
    return counterfeit(totalBytes, foreign, bad) ?? { state: "failing", bad: bad.sort((a, b) => a.start - b.start) };
  } catch (error) {
    if (error instanceof DeviceFault) return { state: "fault", code: error.code, offset: error.offset, doneBytes };
    throw error;
  }
}

/**
 * A device that wraps around holds at each place what was written there last: content of later places, all by the same
 * distance, which is its true size. One that drops holds the beginning, and nothing of this test behind it.
 */
function counterfeit(
  totalBytes: number,
  foreign: { start: number; place: number | null }[],
  bad: { start: number; end: number }[],
): CapacityResult | null {
  const moved = foreign.filter((each) => each.place !== null && each.place > each.start);
  const [first] = moved;
  if (first && moved.length === foreign.length) {
    // What was written last in each place lies a whole number of true sizes further on: the least distance is one.
    const distances = moved.map(({ start, place }) => (place as number) - start);
    const trueBytes = distances.reduce(gcd);
    if (trueBytes > 0 && trueBytes < totalBytes) return { state: "counterfeit", trueBytes, how: "wraps" };
  }
  const [only] = bad;
  if (only && bad.length === 1 && only.end === totalBytes && only.start > 0 && foreign.length > 0)
    return { state: "counterfeit", trueBytes: only.start, how: "drops" };
  return null;
}

/** In whole sectors of 512 bytes, since devices lose whole ones; the length where there is none. */
function firstDifference(bytes: Uint8Array, wanted: Uint8Array): number {
  if (sameBytes(bytes, wanted)) return wanted.length;
  const at = wanted.findIndex((byte, index) => bytes[index] !== byte);
  return at < 0 ? wanted.length : Math.floor(at / 512) * 512;
}

function gcd(a: number, b: number): number {
  let [x, y] = [a, b];
  while (y > 0) [x, y] = [y, x % y];
  return x;
}
