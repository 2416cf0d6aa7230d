import { Fields } from "./fields";
import { huffmanLengths } from "./huffman";
import { copyMatch, PrefixCode } from "./prefix-code";

// LZMS as wimlib describes and writes it ("lzms_common.h", "lzms_decompress.c", "lzms_common.c"): choices by a range coder
// from the front, words of adaptive codes and plain bits from the back, and at the end addresses in x86 programs.
const PROBABILITY_BITS = 6;
const RECENT = 64;
const FIRST_ZEROS = 48;
const FIRST_RECENT = 0x5555_5555;
const LONGEST_WORD = 15;

/** Lengths of runs in which slots are as far apart, each run twice as far as the one before. */
const OFFSET_RUNS = [9, 0, 9, 7, 10, 15, 15, 20, 20, 30, 33, 40, 42, 45, 60, 73, 80, 85, 95, 105, 6];
const LENGTH_RUNS = [27, 4, 6, 4, 5, 2, 1, 1, 1, 1, 1, 0, 0, 0, 0, 0, 1];
const OFFSET_END = 0x7fff_ffff;
const LENGTH_END = 0x4001_08ab;

interface Slots {
  base: Float64Array;
  extra: Uint8Array;
}

function slotsOf(runs: readonly number[], end: number): Slots {
  const bases: number[] = [];
  for (const [order, run] of runs.entries())
    for (let nth = 0; nth < run; nth++) bases.push((bases.at(-1) ?? 0) + 2 ** order);
  bases.push(end);
  const extra = bases.slice(1).map((next, slot) => 31 - Math.clz32(next - (bases[slot] as number)));
  return { base: Float64Array.from(bases), extra: Uint8Array.from(extra) };
}

const OFFSETS = slotsOf(OFFSET_RUNS, OFFSET_END);
const LENGTHS = slotsOf(LENGTH_RUNS, LENGTH_END);

/** How many slots of distances a chunk of so many bytes has: up to that of its longest distance. */
function offsetSlots(sizeBytes: number): number {
  let slots = 0;
  while ((OFFSETS.base[slots] as number) <= sizeBytes - 1) slots++;
  return Math.max(1, slots);
}

/** Bits from the end backwards, by words of 16, the highest first. Before the beginning there are zeros. */
class BackwardBits {
  private bits = 0;
  private left = 0;
  constructor(
    private readonly bytes: Uint8Array,
    private at: number,
  ) {}

  peek(count: number): number {
    while (this.left < count) {
      this.at -= 2;
      const word = this.at < 0 ? 0 : (this.bytes[this.at] as number) | ((this.bytes[this.at + 1] as number) << 8);
      this.bits |= word << (16 - this.left);
      this.left += 16;
    }
    return this.bits >>> (32 - count);
  }

  skip(count: number): void {
    this.bits <<= count;
    this.left -= count;
  }

  /** 0 to 31 bits. */
  take(count: number): number {
    if (count === 0) return 0;
    if (count > 16) return this.take(count - 16) * 0x1_0000 + this.take(16);
    const value = this.peek(count);
    this.skip(count);
    return value;
  }
}

/** A code that is made again after so many symbols, by how often each came. */
class AdaptiveCode {
  private readonly counts: Uint32Array;
  private readonly lengths: Uint8Array;
  private readonly code: PrefixCode;
  private left: number;

  constructor(
    private readonly symbols: number,
    private readonly rebuildAfter: number,
  ) {
    this.counts = new Uint32Array(symbols).fill(1);
    this.lengths = new Uint8Array(symbols);
    this.code = new PrefixCode(symbols);
    this.left = rebuildAfter;
    this.build();
  }

  private build(): void {
    huffmanLengths(this.counts, LONGEST_WORD, this.lengths);
    this.code.make(this.lengths, this.symbols);
    this.left = this.rebuildAfter;
  }

  /** -1 where no word begins so. */
  read(bits: BackwardBits): number {
    const symbol = this.code.read(bits);
    if (symbol < 0) return -1;
    this.counts[symbol] = (this.counts[symbol] as number) + 1;
    if (--this.left === 0) {
      this.build();
      for (let each = 0; each < this.symbols; each++) this.counts[each] = ((this.counts[each] as number) >> 1) + 1;
    }
    return symbol;
  }
}

/** One kind of choice: how likely "no" is, by the choices before it of the same kind. */
class Choice {
  private state = 0;
  private readonly zeros: Uint8Array;
  /** The last 64 choices in each state, the latest lowest. */
  private readonly low: Int32Array;
  private readonly high: Int32Array;

  constructor(private readonly states: number) {
    this.zeros = new Uint8Array(states).fill(FIRST_ZEROS);
    this.low = new Int32Array(states).fill(FIRST_RECENT);
    this.high = new Int32Array(states);
  }

  read(coder: RangeCoder): number {
    const { state } = this;
    const zeros = this.zeros[state] as number;
    const bit = coder.bit(zeros === 0 ? 1 : zeros === RECENT ? RECENT - 1 : zeros);
    const high = this.high[state] as number;
    const low = this.low[state] as number;
    this.zeros[state] = zeros + (high >>> 31) - bit;
    this.high[state] = (high << 1) | (low >>> 31);
    this.low[state] = (low << 1) | bit;
    this.state = ((state << 1) | bit) & (this.states - 1);
    return bit;
  }
}

class RangeCoder {
  private range = 0xffff_ffff;
  private code: number;
  private at = 4;
  constructor(private readonly bytes: Uint8Array) {
    this.code = ((this.word(0) << 16) | this.word(2)) >>> 0;
  }

  private word(at: number): number {
    return at + 1 < this.bytes.length ? (this.bytes[at] as number) | ((this.bytes[at + 1] as number) << 8) : 0;
  }

  /** `zeros` of 64 is how likely 0 is. */
  bit(zeros: number): number {
    if (this.range <= 0xffff) {
      this.range = (this.range << 16) >>> 0;
      this.code = ((this.code << 16) | this.word(this.at)) >>> 0;
      this.at += 2;
    }
    const bound = (this.range >>> PROBABILITY_BITS) * zeros;
    if (this.code < bound) {
      this.range = bound;
      return 0;
    }
    this.range -= bound;
    this.code -= bound;
    return 1;
  }
}

/** The last three distances that may be named again; the very last one comes among them after one more item. */
class Recent<T> {
  constructor(private readonly items: T[]) {}

  push(item: T): T {
    this.items.pop();
    this.items.unshift(item);
    return item;
  }

  /** Names one again: `nth` of those that may be named. `isFresh`: the last item was of this kind, and may not be. */
  again(nth: number, isFresh: boolean): T {
    const [item] = this.items.splice(nth + (isFresh ? 1 : 0), 1) as [T];
    this.items.unshift(item);
    return item;
  }
}

interface Delta {
  power: number;
  offset: number;
}

class Decoder {
  private readonly coder: RangeCoder;
  private readonly bits: BackwardBits;
  private readonly main = new Choice(16);
  private readonly match = new Choice(32);
  private readonly lz = new Choice(64);
  private readonly lzAgain = [new Choice(64), new Choice(64)] as const;
  private readonly delta = new Choice(64);
  private readonly deltaAgain = [new Choice(64), new Choice(64)] as const;
  private readonly literals = new AdaptiveCode(256, 1024);
  private readonly lengths = new AdaptiveCode(LENGTHS.extra.length, 512);
  private readonly offsets: AdaptiveCode;
  private readonly deltaOffsets: AdaptiveCode;
  private readonly powers = new AdaptiveCode(8, 512);
  private readonly recent = new Recent([1, 2, 3, 4]);
  private readonly recentDeltas = new Recent<Delta>([1, 2, 3, 4].map((offset) => ({ power: 0, offset })));
  private last: "literal" | "lz" | "delta" = "literal";

  constructor(
    packed: Uint8Array,
    private readonly out: Uint8Array,
  ) {
    this.coder = new RangeCoder(packed);
    this.bits = new BackwardBits(packed, packed.length);
    const slots = offsetSlots(out.length);
    this.offsets = new AdaptiveCode(slots, 1024);
    this.deltaOffsets = new AdaptiveCode(slots, 1024);
  }

  /** False where it is damaged. */
  run(): boolean {
    const { out } = this;
    for (let at = 0; at < out.length; ) {
      if (this.main.read(this.coder) === 0) {
        const literal = this.literals.read(this.bits);
        if (literal < 0) return false;
        out[at++] = literal;
        this.last = "literal";
        continue;
      }
      const length = this.match.read(this.coder) === 0 ? this.copy(at) : this.follow(at);
      if (length === 0) return false;
      at += length;
    }
    return true;
  }

  /** A distance by its slot; below 0 where none begins so. */
  private slotted(code: AdaptiveCode, { base, extra }: Slots): number {
    const slot = code.read(this.bits);
    return slot < 0 ? -1 : (base[slot] as number) + this.bits.take(extra[slot] as number);
  }

  private nth(choices: readonly [Choice, Choice]): number {
    return choices[0].read(this.coder) === 0 ? 0 : choices[1].read(this.coder) === 0 ? 1 : 2;
  }

  /** What stood before, once more. Bytes; 0 where it is damaged. */
  private copy(at: number): number {
    const isExplicit = this.lz.read(this.coder) === 0;
    const offset = isExplicit
      ? this.recent.push(this.slotted(this.offsets, OFFSETS))
      : this.recent.again(this.nth(this.lzAgain), this.last === "lz");
    this.last = "lz";
    const length = this.slotted(this.lengths, LENGTHS);
    if (offset <= 0 || offset > at || length <= 0 || length > this.out.length - at) return 0;
    copyMatch(this.out, at, offset, length);
    return length;
  }

  /** Bytes that differ from those a span before as others did, of a table of numbers. Bytes; 0 where it is damaged. */
  private follow(at: number): number {
    const { out } = this;
    const isExplicit = this.delta.read(this.coder) === 0;
    const { power, offset } = isExplicit
      ? this.recentDeltas.push({ power: this.powers.read(this.bits), offset: this.slotted(this.deltaOffsets, OFFSETS) })
      : this.recentDeltas.again(this.nth(this.deltaAgain), this.last === "delta");
    this.last = "delta";
    const length = this.slotted(this.lengths, LENGTHS);
    if (power < 0 || offset <= 0 || length <= 0 || length > out.length - at) return 0;
    const span = 2 ** power;
    const distance = offset * span;
    if (distance + span > at) return 0;
    for (let to = at; to < at + length; to++)
      out[to] = (out[to - distance] as number) + (out[to - span] as number) - (out[to - distance - span] as number);
    return length;
  }
}

/** Unpacks one chunk, which comes to `sizeBytes`. Null where it is damaged. */
export function unpackLzms(packed: Uint8Array, sizeBytes: number): Uint8Array | null {
  if (packed.length < 4 || packed.length % 2 !== 0) return null;
  const out = new Uint8Array(sizeBytes);
  if (!new Decoder(packed, out).run()) return null;
  restoreAddresses(out);
  return out;
}

const WINDOW = 65_535;
const REACH = 1023;
/** No instruction that begins in the last bytes is looked at. */
const TAIL_BYTES = 16;
const IS_OPCODE = new Uint8Array(256);
for (const byte of [0x48, 0x4c, 0xe8, 0xe9, 0xf0, 0xff]) IS_OPCODE[byte] = 1;

/** Length of an instruction's part before an address that is relative to it; 0 where there is none. */
function opcodeBytes(data: Uint8Array, at: number): number {
  const [second, third] = [data[at + 1] as number, data[at + 2] as number];
  switch (data[at]) {
    case 0x48:
      if (second === 0x8b) return third === 0x05 || third === 0x0d ? 3 : 0;
      return second === 0x8d && (third & 7) === 5 ? 3 : 0;
    case 0x4c:
      return second === 0x8d && (third & 7) === 5 ? 3 : 0;
    case 0xe8:
      return 1;
    case 0xf0:
      return second === 0x83 && third === 0x05 ? 3 : 0;
    default:
      return data[at] === 0xff && second === 0x15 ? 2 : 0;
  }
}

/**
 * Addresses in x86 programs were made absolute, where two instructions shortly after each other led to one target: they
 * are made relative again.
 */
function restoreAddresses(data: Uint8Array): void {
  if (data.length <= TAIL_BYTES + 1) return;
  const fields = new Fields(data);
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const usedAt = new Int32Array(65_536).fill(-WINDOW - 1);
  let programAt = -REACH - 1;
  const end = data.length - TAIL_BYTES;
  for (let at = 1; at < end; ) {
    if (IS_OPCODE[data[at] as number] === 0) {
      at++;
      continue;
    }
    const opcode = opcodeBytes(data, at);
    if (opcode === 0) {
      at += data[at] === 0xe9 ? 5 : 1;
      continue;
    }
    const address = at + opcode;
    if (at - programAt <= (data[at] === 0xe8 ? REACH >> 1 : REACH))
      view.setUint32(address, fields.u32le(address) - at, true);
    const target = (at + fields.u16le(address)) & 0xffff;
    const last = address + 3;
    if (last - (usedAt[target] as number) <= WINDOW) programAt = last;
    usedAt[target] = last;
    at = address + 4;
  }
}
