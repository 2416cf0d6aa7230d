import { copyMatch, PrefixCode } from "./prefix-code";
import { WordBits } from "./word-bits";

const SYMBOLS = 512;
const TABLE_BYTES = 256;
const LITERALS = 256;
const LEAST_MATCH = 3;

const code = new PrefixCode(SYMBOLS);
const lengths = new Uint8Array(SYMBOLS);

/**
 * Unpacks one chunk of LZ77 with Huffman words ("XPRESS Huffman", MS-XCA 2.2), which comes to `sizeBytes`. Null where it
 * is damaged.
 */
export function unpackXpress(packed: Uint8Array, sizeBytes: number): Uint8Array | null {
  if (packed.length < TABLE_BYTES) return null;
  for (let at = 0; at < TABLE_BYTES; at++) {
    const pair = packed[at] as number;
    lengths[at * 2] = pair & 15;
    lengths[at * 2 + 1] = pair >> 4;
  }
  if (!code.make(lengths, SYMBOLS)) return null;
  const bits = new WordBits(packed, TABLE_BYTES);
  const out = new Uint8Array(sizeBytes);
  for (let at = 0; at < sizeBytes; ) {
    const symbol = code.read(bits);
    if (symbol < 0) return null;
    if (symbol < LITERALS) {
      out[at++] = symbol;
      continue;
    }
    const wide = (symbol >> 4) & 15;
    let length = symbol & 15;
    // The word with the distance is begun before a longer length, which stands in bytes, is read.
    bits.peek(16);
    const distance = (1 << wide) | bits.take(wide);
    if (length === 15) {
      length += bits.byte();
      if (length === 15 + 255) length = bits.word();
    }
    length += LEAST_MATCH;
    if (distance > at || length > sizeBytes - at || bits.isPastEnd) return null;
    copyMatch(out, at, distance, length);
    at += length;
  }
  return out;
}
