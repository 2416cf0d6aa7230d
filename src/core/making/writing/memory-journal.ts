import type { Journal } from "./write-medium";

/** A journal for work that is done in one go, or not at all. */
export class MemoryJournal implements Journal {
  private flushed = 0;
  private verified = 0;
  flushedBlocks(): number {
    return this.flushed;
  }
  verifiedBlocks(): number {
    return this.verified;
  }
  async saveFlushed(blocks: number): Promise<void> {
    this.flushed = blocks;
  }
  async saveVerified(blocks: number): Promise<void> {
    this.verified = blocks;
  }
}
