import { Fields } from "./fields";
import { copyMatch, PrefixCode, QUICK_BITS } from "./prefix-code";
import { WordBits } from "./word-bits";

// LZX as Microsoft publishes it (MS-PATCH; "Microsoft LZX Data Compression Format", 1997), in the form that WIM has: each
// chunk by itself, as large as its window, and calls of x86 translated as in a file of twelve million bytes (wimlib, "lzx").
const LITERALS = 256;
const LENGTH_SYMBOLS = 249;
const PRETREE_SYMBOLS = 20;
const ALIGNED_SYMBOLS = 8;
const SLOTS_MOST = 51;
const LEAST_MATCH = 2;
const USUAL_BLOCK = 32_768;
const CALLS_IN_BYTES = 12_000_000;
const BLOCK = { verbatim: 1, aligned: 2, plain: 3 };

/** For each slot of distances: how many bits follow, and what they are added to. */
const EXTRA = Uint8Array.from({ length: SLOTS_MOST }, (_, slot) => (slot < 4 ? 0 : Math.min(17, (slot >> 1) - 1)));
const BASE = new Int32Array(SLOTS_MOST);
for (let slot = 1; slot < SLOTS_MOST; slot++)
  BASE[slot] = (BASE[slot - 1] as number) + (1 << (EXTRA[slot - 1] as number));

/** Slots by the size of a window, 32 KiB to 2 MiB. */
const SLOTS: Record<number, number> = { 15: 30, 16: 32, 17: 34, 18: 36, 19: 38, 20: 42, 21: 50 };

/** What is the same for all chunks of one archive: codes are made anew over the same memory. */
class Decoder {
  private readonly slots: number;
  private readonly main: PrefixCode;
  private readonly lengths = new PrefixCode(LENGTH_SYMBOLS);
  private readonly aligned = new PrefixCode(ALIGNED_SYMBOLS);
  private readonly pretree = new PrefixCode(PRETREE_SYMBOLS);
  private readonly mainLengths: Uint8Array;
  private readonly lengthLengths = new Uint8Array(LENGTH_SYMBOLS);
  private readonly short = new Uint8Array(PRETREE_SYMBOLS);

  constructor(private readonly order: number) {
    this.slots = SLOTS[order] as number;
    this.main = new PrefixCode(LITERALS + this.slots * 8);
    this.mainLengths = new Uint8Array(LITERALS + this.slots * 8);
  }

  unpack(packed: Uint8Array, sizeBytes: number): Uint8Array | null {
    const bits = new WordBits(packed, 0);
    const out = new Uint8Array(sizeBytes);
    // The last three distances, the latest first.
    const recent = new Int32Array([1, 1, 1]);
    this.mainLengths.fill(0);
    this.lengthLengths.fill(0);
    let hasCalls = false;
    for (let at = 0; at < sizeBytes; ) {
      const kind = bits.take(3);
      const end = at + this.blockBytes(bits);
      if (end > sizeBytes || end === at || bits.isPastEnd) return null;
      if (kind === BLOCK.plain) {
        const start = bits.align();
        if (start + 12 + (end - at) > packed.length) return null;
        const fields = new Fields(packed);
        for (let nth = 0; nth < 3; nth++) recent[nth] = fields.u32le(start + nth * 4);
        out.set(packed.subarray(start + 12, start + 12 + (end - at)), at);
        bits.moveTo(start + 12 + (end - at) + ((end - at) & 1));
        hasCalls = true;
      } else if (kind === BLOCK.verbatim || kind === BLOCK.aligned) {
        if (!this.readCodes(bits, kind === BLOCK.aligned)) return null;
        hasCalls ||= this.mainLengths[0xe8] !== 0;
        if (!this.block(bits, out, { at, end, isAligned: kind === BLOCK.aligned }, recent)) return null;
      } else return null;
      at = end;
    }
    if (hasCalls) translateCalls(out);
    return out;
  }

  private blockBytes(bits: WordBits): number {
    if (bits.take(1) === 1) return USUAL_BLOCK;
    const size = bits.take(16);
    return this.order >= 16 ? (size << 8) | bits.take(8) : size;
  }

  private readCodes(bits: WordBits, isAligned: boolean): boolean {
    if (isAligned) {
      for (let symbol = 0; symbol < ALIGNED_SYMBOLS; symbol++) this.short[symbol] = bits.take(3);
      if (!this.aligned.make(this.short, ALIGNED_SYMBOLS)) return false;
    }
    const { mainLengths, lengthLengths } = this;
    return (
      this.readLengths(bits, mainLengths.subarray(0, LITERALS)) &&
      this.readLengths(bits, mainLengths.subarray(LITERALS)) &&
      this.main.make(mainLengths, mainLengths.length) &&
      this.readLengths(bits, lengthLengths) &&
      this.lengths.make(lengthLengths, LENGTH_SYMBOLS)
    );
  }

  /** Lengths of words are told by how they differ from those of the block before. */
  private readLengths(bits: WordBits, lengths: Uint8Array): boolean {
    for (let symbol = 0; symbol < PRETREE_SYMBOLS; symbol++) this.short[symbol] = bits.take(4);
    if (!this.pretree.make(this.short, PRETREE_SYMBOLS)) return false;
    for (let at = 0; at < lengths.length; ) {
      const symbol = this.pretree.read(bits);
      if (symbol < 0 || bits.isPastEnd) return false;
      let run = 1;
      let length = 0;
      if (symbol < 17) length = ((lengths[at] as number) - symbol + 17) % 17;
      else if (symbol === 17) run = 4 + bits.take(4);
      else if (symbol === 18) run = 20 + bits.take(5);
      else {
        run = 4 + bits.take(1);
        const other = this.pretree.read(bits);
        if (other < 0 || other > 16) return false;
        length = ((lengths[at] as number) - other + 17) % 17;
      }
      // A run may be told to reach further than the lengths do.
      const end = Math.min(at + run, lengths.length);
      lengths.fill(length, at, end);
      at = end;
    }
    return true;
  }

  private block(
    bits: WordBits,
    out: Uint8Array,
    { at: start, end, isAligned }: { at: number; end: number; isAligned: boolean },
    recent: Int32Array,
  ): boolean {
    const { main, lengths, aligned } = this;
    const [quick, quickLengths] = [main.quick, lengths.quick];
    const { bytes } = bits;
    // The state of the bits at hand, and each step written out: this loop is all the work there is.
    let { bits: held, left, at: next } = bits;
    let [last, second, third] = recent as unknown as [number, number, number];
    for (let at = start; at < end; ) {
      if (left < 16) {
        held |= ((bytes[next] as number) | ((bytes[next + 1] as number) << 8)) << (16 - left);
        next += 2;
        left += 16;
      }
      let word = quick[held >>> (32 - QUICK_BITS)] as number;
      if (word === 0) word = main.long(held >>> 16);
      if (word < 0) return false;
      held <<= word & 31;
      left -= word & 31;
      const symbol = word >>> 5;
      if (symbol < LITERALS) {
        out[at++] = symbol;
        continue;
      }
      const slot = (symbol - LITERALS) >> 3;
      let length = (symbol & 7) + LEAST_MATCH;
      if ((symbol & 7) === 7) {
        if (left < 16) {
          held |= ((bytes[next] as number) | ((bytes[next + 1] as number) << 8)) << (16 - left);
          next += 2;
          left += 16;
        }
        let more = quickLengths[held >>> (32 - QUICK_BITS)] as number;
        if (more === 0) more = lengths.long(held >>> 16);
        if (more < 0) return false;
        held <<= more & 31;
        left -= more & 31;
        length += more >>> 5;
      }
      let distance: number;
      if (slot === 0) distance = last;
      else if (slot === 1) {
        distance = second;
        second = last;
      } else if (slot === 2) {
        distance = third;
        third = last;
      } else {
        let extra = EXTRA[slot] as number;
        const isLowCoded = isAligned && extra >= 3;
        if (isLowCoded) extra -= 3;
        let rest = 0;
        if (extra > 0) {
          if (left < 16) {
            held |= ((bytes[next] as number) | ((bytes[next + 1] as number) << 8)) << (16 - left);
            next += 2;
            left += 16;
          }
          if (extra > 16) {
            rest = held >>> 31;
            held <<= 1;
            left -= 1;
            extra = 16;
            if (left < 16) {
              held |= ((bytes[next] as number) | ((bytes[next + 1] as number) << 8)) << (16 - left);
              next += 2;
              left += 16;
            }
          }
          rest = (rest << extra) | (held >>> (32 - extra));
          held <<= extra;
          left -= extra;
        }
        if (isLowCoded) {
          bits.bits = held;
          bits.left = left;
          bits.at = next;
          const low = aligned.read(bits);
          if (low < 0) return false;
          rest = (rest << 3) | low;
          held = bits.bits;
          left = bits.left;
          next = bits.at;
        }
        distance = (BASE[slot] as number) - 2 + rest;
        third = second;
        second = last;
      }
      last = distance;
      if (distance <= 0 || distance > at || length > end - at) return false;
      // Calling out for a few bytes takes longer than copying them.
      if (length > 40) copyMatch(out, at, distance, length);
      else for (let nth = at; nth < at + length; nth++) out[nth] = out[nth - distance] as number;
      at += length;
    }
    recent.set([last, second, third]);
    bits.bits = held;
    bits.left = left;
    bits.at = next;
    return !bits.isPastEnd;
  }
}

/** Calls of x86 were packed with where they lead to, in place of how far that is. */
function translateCalls(out: Uint8Array): void {
  const view = new DataView(out.buffer, out.byteOffset, out.byteLength);
  const last = out.length - 10;
  for (let at = 0; at < last; at++) {
    if (out[at] !== 0xe8) continue;
    const told = view.getInt32(at + 1, true);
    if (told >= 0) {
      if (told < CALLS_IN_BYTES) view.setInt32(at + 1, told - at, true);
    } else if (told >= -at) view.setInt32(at + 1, told + CALLS_IN_BYTES, true);
    at += 4;
  }
}

const decoders = new Map<number, Decoder>();

/**
 * Unpacks one chunk of LZX that comes to `sizeBytes`; `windowBytes`: the size of all chunks of its archive, a power of
 * two from 32 KiB to 2 MiB. Null where it is damaged, or of another size.
 */
export function unpackLzx(packed: Uint8Array, sizeBytes: number, windowBytes: number): Uint8Array | null {
  const order = Math.log2(windowBytes);
  if (!(order in SLOTS)) return null;
  let decoder = decoders.get(order);
  if (!decoder) {
    decoder = new Decoder(order);
    decoders.set(order, decoder);
  }
  return decoder.unpack(packed, sizeBytes);
}
