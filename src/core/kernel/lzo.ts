/**
 * One block of LZO1X (the kernel's Documentation/staging/lzo.rst). At most `maxBytes` are unpacked; null where it is
 * damaged, or longer.
 */
export function lzoBlock(block: Uint8Array, maxBytes: number): Uint8Array | null {
  const out = new Uint8Array(maxBytes);
  let [at, to] = [0, 0];
  /** Literals behind the last match, 0 to 3; 4 where there were more. */
  let state = 0;
  const byte = () => block[at++] ?? 0;
  const length = (short: number, base: number): number => {
    if (short !== 0) return short;
    let more = base;
    while (block[at] === 0 && at < block.length) {
      more += 255;
      at++;
    }
    return more + byte();
  };
  const literals = (count: number): boolean => {
    if (at + count > block.length || to + count > maxBytes) return false;
    out.set(block.subarray(at, at + count), to);
    at += count;
    to += count;
    return true;
  };
  const match = (distance: number, count: number): boolean => {
    if (distance > to || to + count > maxBytes) return false;
    for (let nth = 0; nth < count; nth++, to++) out[to] = out[to - distance] as number;
    return true;
  };
  const first = block[0] ?? 0;
  if (first > 17) {
    at = 1;
    if (!literals(first - 17)) return null;
    state = Math.min(first - 17, 4);
  }
  while (at < block.length) {
    const code = byte();
    let [distance, count, next] = [0, 0, code & 3];
    if (code >= 64) {
      count = code >= 128 ? 5 + ((code >> 5) & 3) : 3 + ((code >> 5) & 1);
      distance = (byte() << 3) + ((code >> 2) & 7) + 1;
    } else if (code >= 32) {
      count = 2 + length(code & 31, 31);
      const word = byte() | (byte() << 8);
      distance = (word >> 2) + 1;
      next = word & 3;
    } else if (code >= 16) {
      count = 2 + length(code & 7, 7);
      const word = byte() | (byte() << 8);
      distance = 16_384 + ((code & 8) << 11) + (word >> 2);
      next = word & 3;
      // The end: a match of three bytes at the distance that no match has.
      if (distance === 16_384) return count === 3 ? out.subarray(0, to) : null;
    } else if (state === 0) {
      if (!literals(3 + length(code, 15))) return null;
      state = 4;
      continue;
    } else if (state < 4) {
      count = 2;
      distance = (byte() << 2) + (code >> 2) + 1;
    } else {
      count = 3;
      distance = (byte() << 2) + (code >> 2) + 2049;
    }
    if (at > block.length || !match(distance, count) || !literals(next)) return null;
    state = next;
  }
  return null;
}
