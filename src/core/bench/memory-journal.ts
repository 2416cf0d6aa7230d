import type { Journal } from "./write-medium";

/** A journal for work that is done in one go, or not at all. */
export class MemoryJournal implements Journal {
  private readonly digests: Uint8Array[] = [];
  private flushed = 0;
  private verified = 0;
  flushedBlocks(): number {
    return this.flushed;
  }
  verifiedBlocks(): number {
    return this.verified;
  }
  digest(block: number): Uint8Array | null {
    return this.digests[block] ?? null;
  }
  keepDigest(block: number, digest: Uint8Array): void {
    this.digests[block] = digest;
  }
  async saveFlushed(blocks: number): Promise<void> {
    this.flushed = blocks;
  }
  async saveVerified(blocks: number): Promise<void> {
    this.verified = blocks;
  }
}
