/**
 * One LZ4 block (lz4_Block_format.md of the LZ4 project), decoded into at most `maxBytes`. Null where the block is
 * damaged or holds more. The packages at hand do not check lengths, so this one is ours. `endsWhenFull`: what is
 * behind the first `maxBytes` of its content is left, whatever it is.
 */
export function lz4Block(block: Uint8Array, maxBytes: number, endsWhenFull = false): Uint8Array | null {
  const out = new Uint8Array(maxBytes);
  const end = block.length;
  let at = 0;
  let filled = 0;
  /** A length of 15 goes on in further bytes until one is below 255. */
  const longer = (start: number): number => {
    let length = start;
    if (start === 15) {
      let byte: number;
      do {
        if (at >= end) return -1;
        byte = block[at++] as number;
        length += byte;
      } while (byte === 255);
    }
    return length;
  };
  while (at < end && !(endsWhenFull && filled === maxBytes)) {
    const token = block[at++] as number;
    const told = longer(token >> 4);
    const literals = endsWhenFull ? Math.min(told, maxBytes - filled) : told;
    if (literals < 0 || at + literals > end || filled + literals > maxBytes) return null;
    out.set(block.subarray(at, at + literals), filled);
    at += literals;
    filled += literals;
    if (at === end || (endsWhenFull && filled === maxBytes)) break;
    if (at + 2 > end) return null;
    const distance = (block[at] as number) | ((block[at + 1] as number) << 8);
    at += 2;
    const rest = longer(token & 15);
    const length = endsWhenFull ? Math.min(rest + 4, maxBytes - filled) : rest + 4;
    if (rest < 0 || distance === 0 || distance > filled || filled + length > maxBytes) return null;
    if (distance >= length) out.copyWithin(filled, filled - distance, filled - distance + length);
    // A match may reach into what it writes: then it repeats, byte by byte.
    else for (let i = 0; i < length; i++) out[filled + i] = out[filled + i - distance] as number;
    filled += length;
  }
  return out.subarray(0, filled);
}
