import { type Compression, compressionOf, decompressStream } from "../../kernel/decompress";
import { type ByteSource, CachedSource } from "../../kernel/source";
import { type Volume, volumesOf } from "./volumes";

/** Of a compressed image no more than this is unpacked, and no more than this of it is kept: what is empty costs nothing. */
const UNPACKED_MOST_BYTES = 16 * 2 ** 30;
const KEPT_MOST_BYTES = 512 * 2 ** 20;
const BLOCK_BYTES = 64 << 10;

/** What was unpacked, block by block; a block that is not kept is all zeros. */
class SparseSource implements ByteSource {
  constructor(
    private readonly blocks: ReadonlyMap<number, Uint8Array>,
    readonly sizeBytes: number,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    const bytes = new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
    for (let at = 0; at < bytes.length; ) {
      const block = Math.floor((offset + at) / BLOCK_BYTES);
      const within = (offset + at) % BLOCK_BYTES;
      const count = Math.min(BLOCK_BYTES - within, bytes.length - at);
      const held = this.blocks.get(block);
      if (held) bytes.set(held.subarray(within, within + count), at);
      at += count;
    }
    return bytes;
  }
}

export interface Unpacked {
  source: ByteSource;
  compression: Compression;
  /** False: it is damaged, or larger than what is unpacked; `source` has its beginning. */
  isWhole: boolean;
}

/** The content of a compressed image, with bounded work and memory; null where it is not compressed. */
export async function unpackedOf(packed: ByteSource, keptMost = KEPT_MOST_BYTES): Promise<Unpacked | null> {
  const compression = compressionOf(await packed.read(0, 512));
  if (!compression) return null;
  const blocks = new Map<number, Uint8Array>();
  let pending = new Uint8Array(BLOCK_BYTES);
  let filled = 0;
  let sizeBytes = 0;
  const keep = () => {
    const at = Math.floor((sizeBytes - 1) / BLOCK_BYTES);
    // Images of disks are mostly empty: blocks of zeros are not kept, and read as zeros.
    if (filled > 0 && pending.some((byte) => byte !== 0)) {
      blocks.set(at, pending);
      pending = new Uint8Array(BLOCK_BYTES);
    }
    filled = 0;
  };
  const end = await decompressStream(compression, packed, 0, (piece) => {
    for (let from = 0; from < piece.length; ) {
      const part = piece.subarray(from, from + BLOCK_BYTES - filled);
      pending.set(part, filled);
      filled += part.length;
      sizeBytes += part.length;
      from += part.length;
      if (filled === BLOCK_BYTES) keep();
    }
    // Both are bounded: a bomb of zeros by what is unpacked, any other by what is kept.
    return blocks.size * BLOCK_BYTES < keptMost && sizeBytes < UNPACKED_MOST_BYTES;
  });
  keep();
  return end === "no-decoder"
    ? null
    : { source: new SparseSource(blocks, sizeBytes), compression, isWhole: end === "whole" };
}

/** The volumes of a medium, or of what a compressed image of one holds. `others`: as of `volumesOf`. */
export async function volumesInside(medium: ByteSource, others: readonly ByteSource[] = []): Promise<Volume[]> {
  const volumes = await volumesOf(new CachedSource(medium), others);
  if (volumes.length > 0) return volumes;
  const unpacked = await unpackedOf(medium);
  return unpacked ? volumesOf(new CachedSource(unpacked.source)) : [];
}
