import { type FileHandle, mkdir, open } from "node:fs/promises";
import { join } from "node:path";
import type { Journal } from "@/core/making/writing/write-medium";

const HEAD_BYTES = 16;
const FILE = "journal.bin";

/** The journal of a job in a file: its blocks, the two counts, and a check sum of them. On the disk before a save returns. */
export class FileJournal implements Journal {
  /** Whether the job had begun to write before this journal was opened. */
  isBegun = false;
  private flushed = 0;
  private verified = 0;
  private constructor(
    private readonly handle: FileHandle,
    private readonly blocks: number,
  ) {}

  /** Opens the journal of a job with so many blocks, or begins one. What does not fit the job is begun anew. */
  static async open(folder: string, blocks: number): Promise<FileJournal> {
    await mkdir(folder, { recursive: true });
    const path = join(folder, FILE);
    const handle = await open(path, "r+").catch(() => open(path, "w+"));
    const journal = new FileJournal(handle, blocks);
    const head = Buffer.alloc(HEAD_BYTES);
    const { bytesRead } = await handle.read(head, 0, HEAD_BYTES, 0);
    if (bytesRead === HEAD_BYTES) journal.restore(head);
    return journal;
  }

  private restore(head: Buffer): void {
    const [blocks, flushed, verified, sum] = [0, 4, 8, 12].map((at) => head.readUInt32LE(at)) as [
      number,
      number,
      number,
      number,
    ];
    // A head that was half written says nothing.
    if (blocks !== this.blocks || sum !== headSum(blocks, flushed, verified) || flushed > blocks || verified > flushed)
      return;
    this.isBegun = true;
    this.flushed = flushed;
    this.verified = verified;
  }

  flushedBlocks(): number {
    return this.flushed;
  }
  verifiedBlocks(): number {
    return this.verified;
  }

  async saveFlushed(blocks: number): Promise<void> {
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
