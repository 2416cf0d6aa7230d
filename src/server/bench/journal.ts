import { type FileHandle, mkdir, open } from "node:fs/promises";
import { join } from "node:path";
import { DIGEST_BYTES } from "@/core/bench/blocks";
import type { Journal } from "@/core/bench/write-medium";

const HEAD_BYTES = 16;
const FILE = "journal.bin";

/**
 * The journal of a job in a file: the two counts in front, 32 bytes a block behind them. Digests are written before the
 * count that speaks of them, and both are on the disk before a save returns.
 */
export class FileJournal implements Journal {
  private readonly digests: Uint8Array;
  /** Whether the job had begun to write before this journal was opened. */
  isBegun = false;
  private flushed = 0;
  private verified = 0;
  /** The first block whose digest is not in the file yet. */
  private unsavedFrom = 0;
  private readonly known: Uint8Array;
  private constructor(
    private readonly handle: FileHandle,
    private readonly blocks: number,
  ) {
    this.digests = new Uint8Array(blocks * DIGEST_BYTES);
    this.known = new Uint8Array(blocks);
  }

  /** Opens the journal of a job with so many blocks, or begins one. What does not fit the job is begun anew. */
  static async open(folder: string, blocks: number): Promise<FileJournal> {
    await mkdir(folder, { recursive: true });
    const path = join(folder, FILE);
    const handle = await open(path, "r+").catch(() => open(path, "w+"));
    const journal = new FileJournal(handle, blocks);
    const head = Buffer.alloc(HEAD_BYTES);
    const { bytesRead } = await handle.read(head, 0, HEAD_BYTES, 0);
    if (bytesRead === HEAD_BYTES) await journal.restore(head);
    return journal;
  }

  private async restore(head: Buffer): Promise<void> {
    const [blocks, flushed, verified, sum] = [0, 4, 8, 12].map((at) => head.readUInt32LE(at)) as [
      number,
      number,
      number,
      number,
    ];
    // A head that was half written says nothing.
    if (blocks !== this.blocks || sum !== headSum(blocks, flushed, verified) || flushed > blocks || verified > flushed)
      return;
    const { bytesRead } = await this.handle.read(this.digests, 0, flushed * DIGEST_BYTES, HEAD_BYTES);
    if (bytesRead < flushed * DIGEST_BYTES) return;
    this.isBegun = true;
    this.known.fill(1, 0, flushed);
    this.flushed = flushed;
    this.verified = verified;
    this.unsavedFrom = flushed;
  }

  flushedBlocks(): number {
    return this.flushed;
  }
  verifiedBlocks(): number {
    return this.verified;
  }
  digest(block: number): Uint8Array | null {
    return this.known[block] ? this.digests.subarray(block * DIGEST_BYTES, (block + 1) * DIGEST_BYTES) : null;
  }
  keepDigest(block: number, digest: Uint8Array): void {
    this.digests.set(digest, block * DIGEST_BYTES);
    this.known[block] = 1;
  }

  async saveFlushed(blocks: number): Promise<void> {
    const from = this.unsavedFrom * DIGEST_BYTES;
    const length = blocks * DIGEST_BYTES - from;
    if (length > 0) await this.handle.write(this.digests, from, length, HEAD_BYTES + from);
    await this.handle.datasync();
    this.unsavedFrom = Math.max(this.unsavedFrom, blocks);
    this.flushed = blocks;
    await this.saveHead();
  }

  async saveVerified(blocks: number): Promise<void> {
    this.verified = blocks;
    await this.saveHead();
  }

  async close(): Promise<void> {
    await this.handle.close();
  }

  private async saveHead(): Promise<void> {
    const head = Buffer.alloc(HEAD_BYTES);
    head.writeUInt32LE(this.blocks, 0);
    head.writeUInt32LE(this.flushed, 4);
    head.writeUInt32LE(this.verified, 8);
    head.writeUInt32LE(headSum(this.blocks, this.flushed, this.verified), 12);
    await this.handle.write(head, 0, HEAD_BYTES, 0);
    await this.handle.datasync();
  }
}

function headSum(blocks: number, flushed: number, verified: number): number {
  return (Math.imul(blocks, 31) ^ Math.imul(flushed, 2654435761) ^ Math.imul(verified, 40503) ^ 0x43524c31) >>> 0;
}
