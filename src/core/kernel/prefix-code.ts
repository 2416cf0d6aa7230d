/** Bits that are looked at before they are taken. */
export interface BitSource {
  peek(count: number): number;
  skip(count: number): void;
}

export const QUICK_BITS = 11;

/**
 * A canonical prefix code, told by the length of each symbol's word (RFC 1951, 3.2.2, describes the same). Short words are
 * looked up, long ones counted. Made anew over the same memory: a decoder has a few of them for each block.
 */
export class PrefixCode {
  /** Symbol and length, for all that a short word may be followed by. */
  readonly quick = new Uint16Array(1 << QUICK_BITS);
  /** For each length: the first word of it, as many as there are, and where their symbols begin. */
  private readonly first = new Int32Array(17);
  private readonly count = new Int32Array(17);
  private readonly index = new Int32Array(17);
  private readonly sorted: Uint16Array;
  private longest = 0;

  constructor(symbols: number) {
    this.sorted = new Uint16Array(symbols);
  }

  /** Takes the lengths of `symbols` words from `lengths`. False where no code has such lengths. */
  make(lengths: Uint8Array, symbols: number): boolean {
    const { quick, first, count, index, sorted } = this;
    count.fill(0);
    for (let symbol = 0; symbol < symbols; symbol++) {
      const length = lengths[symbol] as number;
      count[length] = (count[length] as number) + 1;
    }
    count[0] = 0;
    let code = 0;
    let at = 0;
    this.longest = 0;
    for (let length = 1; length <= 16; length++) {
      code <<= 1;
      first[length] = code;
      index[length] = at;
      const many = count[length] as number;
      code += many;
      at += many;
      if (many > 0) this.longest = length;
      if (code > 1 << length) return false;
    }
    const next = Int32Array.from(index);
    for (let symbol = 0; symbol < symbols; symbol++) {
      const length = lengths[symbol] as number;
      if (length === 0) continue;
      const place = next[length] as number;
      next[length] = place + 1;
      sorted[place] = symbol;
    }
    quick.fill(0);
    for (let length = 1; length <= Math.min(QUICK_BITS, this.longest); length++) {
      const rest = QUICK_BITS - length;
      const start = index[length] as number;
      for (let nth = 0; nth < (count[length] as number); nth++) {
        const from = ((first[length] as number) + nth) << rest;
        quick.fill(((sorted[start + nth] as number) << 5) | length, from, from + (1 << rest));
      }
    }
    return true;
  }

  /** The next symbol; -1 where no word begins so. */
  read(bits: BitSource): number {
    const next = bits.peek(16);
    const known = this.quick[next >>> (16 - QUICK_BITS)] as number;
    if (known !== 0) {
      bits.skip(known & 31);
      return known >>> 5;
    }
    const found = this.long(next);
    if (found < 0) return -1;
    bits.skip(found & 31);
    return found >>> 5;
  }

  /** Symbol and length of a long word, out of the next 16 bits; -1 where none begins so. */
  long(next: number): number {
    for (let length = QUICK_BITS + 1; length <= this.longest; length++) {
      const nth = (next >>> (16 - length)) - (this.first[length] as number);
      if (nth >= 0 && nth < (this.count[length] as number))
        return ((this.sorted[(this.index[length] as number) + nth] as number) << 5) | length;
    }
    return -1;
  }
}

/** Copies what was decoded `distance` bytes before, which may run into itself. */
export function copyMatch(out: Uint8Array, at: number, distance: number, length: number): void {
  const from = at - distance;
  // Calling out for a few bytes takes longer than copying them.
  if (length > 40 && distance >= length) out.copyWithin(at, from, from + length);
  else for (let nth = 0; nth < length; nth++) out[at + nth] = out[from + nth] as number;
}
