import type { ByteSource } from "../kernel/source";

/**
 * A file that is packed in blocks of `blockBytes`, which are decoded as they are asked for; the latest one is kept. `load`
 * gives null where a block is damaged.
 */
export class BlockedFile implements ByteSource {
  private latest: { index: number; bytes: Uint8Array | null } = { index: -1, bytes: null };
  constructor(
    readonly sizeBytes: number,
    private readonly blockBytes: number,
    private readonly load: (index: number) => Promise<Uint8Array | null>,
  ) {}

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (!(offset >= 0) || !(length > 0) || offset >= this.sizeBytes) return new Uint8Array(0);
    const wanted = Math.min(length, this.sizeBytes - offset);
    const out = new Uint8Array(wanted);
    let filled = 0;
    while (filled < wanted) {
      const at = offset + filled;
      const index = Math.floor(at / this.blockBytes);
      if (this.latest.index !== index) this.latest = { index, bytes: await this.load(index) };
      const within = at - index * this.blockBytes;
      const piece = this.latest.bytes?.subarray(within, within + wanted - filled);
      // A block that cannot be decoded, or is shorter than it should be, ends the content there.
      if (!piece || piece.length === 0) break;
      out.set(piece, filled);
      filled += piece.length;
    }
    return out.subarray(0, filled);
  }
}
