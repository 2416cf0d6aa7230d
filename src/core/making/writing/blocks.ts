import type { Layout } from "../../formats/pieces";

/** A run of bytes that is written, read back and compared as one: `[start, start + lengthBytes)`. */
export interface Block {
  start: number;
  lengthBytes: number;
}

/** Blocks end on multiples of this, as flash erases in such units. */
const BLOCK_BYTES = 4 << 20;

/** What a layout asks to be written, in blocks: pieces that touch are one run, cut at multiples of `BLOCK_BYTES`. */
export function blocksOf({ pieces }: Layout, blockBytes: number = BLOCK_BYTES): Block[] {
  const blocks: Block[] = [];
  for (let at = 0; at < pieces.length; ) {
    const start = pieces[at]?.start ?? 0;
    let end = start;
    for (; at < pieces.length && pieces[at]?.start === end; at++) end += pieces[at]?.content.sizeBytes ?? 0;
    for (let from = start; from < end; ) {
      const to = Math.min(end, (Math.floor(from / blockBytes) + 1) * blockBytes);
      blocks.push({ start: from, lengthBytes: to - from });
      from = to;
    }
  }
  return blocks;
}

/** SHA-256, 32 bytes, by the platform: it hashes faster than any code of ours. */
export async function blockDigest(bytes: Uint8Array): Promise<Uint8Array> {
  return new Uint8Array(await crypto.subtle.digest("SHA-256", bytes as Uint8Array<ArrayBuffer>));
}

/** Whether two runs of bytes are the same; of different length they are not. */
export function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false;
  const words = a.length >> 2;
  if ((a.byteOffset | b.byteOffset) & 3) {
    for (let at = 0; at < a.length; at++) if (a[at] !== b[at]) return false;
    return true;
  }
  // Four bytes at a time: blocks have millions.
  const [left, right] = [
    new Uint32Array(a.buffer, a.byteOffset, words),
    new Uint32Array(b.buffer, b.byteOffset, words),
  ];
  for (let at = 0; at < words; at++) if (left[at] !== right[at]) return false;
  for (let at = words << 2; at < a.length; at++) if (a[at] !== b[at]) return false;
  return true;
}
