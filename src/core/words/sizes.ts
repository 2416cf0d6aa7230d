/** Sizes in words. Decimal is what is sold and printed on the thing; binary is what some systems show. */
const DECIMAL = ["bytes", "kB", "MB", "GB", "TB", "PB"] as const;
const BINARY = ["bytes", "KiB", "MiB", "GiB", "TiB", "PiB"] as const;

function scaled(bytes: number, base: number, units: readonly string[]): string {
  let value = bytes;
  let unit = 0;
  while (value >= base && unit < units.length - 1) {
    value /= base;
    unit++;
  }
  const digits = unit === 0 ? 0 : value < 10 ? 2 : value < 100 ? 1 : 0;
  // What is rounded up to a whole larger unit is told in that one.
  if (Number(value.toFixed(digits)) >= base && unit < units.length - 1) return `1 ${units[unit + 1]}`;
  const text = String(Number(value.toFixed(digits)));
  return `${text.replace(/\B(?=(\d{3})+$)/g, text.includes(".") ? "" : ",")} ${units[unit]}`;
}

/** "64 GB": powers of 1,000. */
export function bytesText(bytes: number): string {
  return scaled(bytes, 1000, DECIMAL);
}

/** "59.6 GiB": powers of 1,024. */
export function binaryText(bytes: number): string {
  return scaled(bytes, 1024, BINARY);
}
