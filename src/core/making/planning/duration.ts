import type { Range } from "../../kernel/range";
import type { DeviceKind } from "../writing/device";

/** What devices do that nobody measured, bytes a second. Common practice: cheap sticks write at a tenth of what good ones do. */
const USUAL: Record<DeviceKind, { write: Range; read: Range }> = {
  usb: { write: rates(4, 12, 40), read: rates(20, 40, 120) },
  card: { write: rates(4, 12, 40), read: rates(15, 30, 80) },
  disk: { write: rates(30, 80, 150), read: rates(60, 100, 250) },
  optical: { write: rates(5, 10, 20), read: rates(5, 10, 20) },
};

function rates(low: number, likely: number, high: number): Range {
  return { low: low * 1e6, likely: likely * 1e6, high: high * 1e6 };
}

/** A device does the next time what it did the last time, within so much. Common practice. */
const SPREAD = 0.25;

/** Looking at the device, the tables, a last look at what was made, in seconds. */
const AROUND: Range = { low: 2, likely: 5, high: 20 };

/**
 * How long a medium takes to be written and read back, in seconds. `writeRate`, `readRate`: bytes a second as measured
 * with this device, null where it was never written.
 */
export function makingTime(
  writtenBytes: number,
  { kind, writeRate, readRate }: { kind: DeviceKind; writeRate: number | null; readRate: number | null },
): Range {
  const usual = USUAL[kind];
  const write = writeRate === null ? usual.write : around(writeRate);
  const read = readRate === null ? usual.read : around(readRate);
  const seconds = (writing: number, reading: number, more: number) =>
    writtenBytes / writing + writtenBytes / reading + more;
  return {
    low: seconds(write.high, read.high, AROUND.low),
    likely: seconds(write.likely, read.likely, AROUND.likely),
    high: seconds(write.low, read.low, AROUND.high),
  };
}

function around(rate: number): Range {
  return { low: rate * (1 - SPREAD), likely: rate, high: rate * (1 + SPREAD) };
}
