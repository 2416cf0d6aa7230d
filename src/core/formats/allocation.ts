import { itemAt } from "../kernel/item-at";
import { type ByteRange, type ByteSource, ReadFailed } from "../kernel/source";

/** What of a volume holds something, as the volume's own file system says. Places and sizes in bytes of the volume. */
export interface Allocation {
  /** The ranges in use within `[start, start + lengthBytes)`, in order, none touching another. */
  rangesIn(start: number, lengthBytes: number): Promise<ByteRange[]>;
}

/**
 * Why what a file system says of its own use is not believed: it was not left in order, so that its maps may be behind
 * what was written (a journal or log that was not taken in, a mark that says so), or its maps cannot be read.
 */
export type AllocationDoubt = "not-left-in-order" | "maps-damaged";

export type AllocationReading = { ok: true; allocation: Allocation } | { ok: false; why: AllocationDoubt };

/** Units whose marks are read at once: 64 Ki of them are 8 KiB of marks. */
const UNITS_AT_ONCE = 1 << 16;

/** Marks of units that lie one after the other from `origin` on, a bit each, the lowest bit of a byte first. */
export interface UnitMarks {
  /** Where the first unit begins. */
  origin: number;
  unitBytes: number;
  units: number;
  /** The marks from `first` (a multiple of 8) on, `count` of them; null where they cannot be read. */
  marks(first: number, count: number): Promise<Uint8Array | null>;
  /** In use whatever the marks say; in order, none touching another. */
  always?: readonly ByteRange[];
}

/** An allocation by marks: what lies before the first unit or after the last one counts as used, marks or none. */
export class MarkedAllocation implements Allocation {
  private kept: { first: number; marks: Uint8Array | null } | null = null;
  constructor(private readonly by: UnitMarks) {}

  async rangesIn(start: number, lengthBytes: number): Promise<ByteRange[]> {
    const { origin, unitBytes, units } = this.by;
    const end = start + lengthBytes;
    const found: ByteRange[] = [];
    const add = (from: number, to: number) => {
      const [low, high] = [Math.max(start, from), Math.min(end, to)];
      if (low < high) found.push({ start: low, lengthBytes: high - low });
    };
    add(0, origin);
    const last = Math.min(units, Math.ceil((end - origin) / unitBytes));
    for (let unit = Math.max(0, Math.floor((start - origin) / unitBytes)); unit < last; ) {
      const first = unit - (unit % UNITS_AT_ONCE);
      const until = Math.min(last, first + UNITS_AT_ONCE);
      for (const [from, to] of runsOf(await this.marksAt(first), unit - first, until - first))
        add(origin + (first + from) * unitBytes, origin + (first + to) * unitBytes);
      unit = until;
    }
    add(origin + units * unitBytes, Number.POSITIVE_INFINITY);
    for (const range of this.alwaysFrom(start)) {
      if (range.start >= end) break;
      add(range.start, range.start + range.lengthBytes);
    }
    return merged(found);
  }

  private async marksAt(first: number): Promise<Uint8Array | null> {
    if (this.kept?.first !== first) {
      const count = Math.min(UNITS_AT_ONCE, this.by.units - first);
      this.kept = { first, marks: await this.by.marks(first, count).catch(nullWhereUnread) };
    }
    return this.kept.marks;
  }

  /** The ranges that are always in use, from the first one that reaches past `start`. */
  private *alwaysFrom(start: number): Generator<ByteRange> {
    const always = this.by.always ?? [];
    let [low, high] = [0, always.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      const range = itemAt(always, middle);
      if (range.start + range.lengthBytes <= start) low = middle + 1;
      else high = middle;
    }
    for (let at = low; at < always.length; at++) yield itemAt(always, at);
  }
}

/** A map that the disk does not give: then all of it counts. */
function nullWhereUnread(error: unknown): null {
  if (error instanceof ReadFailed) return null;
  throw error;
}

/** The runs of marked units in `[from, to)`. Where marks cannot be read all count: nothing is left out on a guess. */
function* runsOf(marks: Uint8Array | null, from: number, to: number): Generator<[number, number]> {
  if (marks === null) return yield [from, to];
  let begun: number | null = null;
  for (let unit = from; unit < to; unit++) {
    const isUsed = (itemAt(marks, unit >> 3) & (1 << (unit & 7))) !== 0;
    if (isUsed) begun ??= unit;
    else if (begun !== null) {
      yield [begun, unit];
      begun = null;
    }
  }
  if (begun !== null) yield [begun, to];
}

/** Ranges in order, those that touch or overlap made one. */
export function merged(ranges: readonly ByteRange[]): ByteRange[] {
  const result: ByteRange[] = [];
  for (const { start, lengthBytes } of [...ranges].sort((a, b) => a.start - b.start)) {
    const last = result.at(-1);
    if (last && last.start + last.lengthBytes >= start)
      last.lengthBytes = Math.max(last.lengthBytes, start + lengthBytes - last.start);
    else result.push({ start, lengthBytes });
  }
  return result;
}

/** Marks that stand in a file of the volume, one bit a unit. */
export function marksFrom(bitmap: ByteSource): UnitMarks["marks"] {
  return async (first, count) => {
    const bytes = await bitmap.read(first >> 3, Math.ceil(count / 8));
    return bytes.length === Math.ceil(count / 8) ? bytes : null;
  };
}

/** Marks made of values, one of each unit: used where `isUsed` says so. */
export function marksOf(values: readonly number[], isUsed: (value: number) => boolean): Uint8Array {
  const marks = new Uint8Array(Math.ceil(values.length / 8));
  for (const [at, value] of values.entries())
    if (isUsed(value)) marks[at >> 3] = itemAt(marks, at >> 3) | (1 << (at & 7));
  return marks;
}
