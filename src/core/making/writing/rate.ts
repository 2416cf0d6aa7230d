/** A shorter time says how fast memory is, not the device. Milliseconds. */
const LEAST_MS = 10;

/** Bytes a second, rounded; null where the time was too short to tell. */
export function rateOf(bytes: number, ms: number): number | null {
  return ms < LEAST_MS ? null : Math.min(2 ** 31 - 1, Math.round((bytes * 1000) / ms));
}
