import type { Layout } from "../write/pieces";

/** A run of bytes that is written, read back and compared as one: `[start, start + lengthBytes)`. */
export interface Block {
  start: number;
  lengthBytes: number;
}

/** Blocks end on multiples of this, as flash erases in such units. */
export const BLOCK_BYTES = 4 << 20;

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

/** A digest of each block, as far as they are known; 32 bytes each (SHA-256). */
export const DIGEST_BYTES = 32;

export async function digestOf(bytes: Uint8Array): Promise<Uint8Array> {
  return new Uint8Array(await crypto.subtle.digest("SHA-256", bytes as Uint8Array<ArrayBuffer>));
}

export function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  return a.length === b.length && a.every((byte, at) => byte === b[at]);
}
