import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { Unpack } from "@/core/imaging/reading";
import type { Packer } from "@/core/imaging/saving";
import { Fields, toSafeNumber } from "@/core/kernel/fields";

/** Plain code that is run as it lies there: nothing of it is bundled. */
const WORKER = ["src", "workers", "blocks.worker.cjs"];
/** Threads that pack; blocks that wait for one, so that none of them waits for a block. */
const THREADS_MAX = 4;
const WAITING_EACH = 2;

interface Answer {
  id: number;
  bytes: Uint8Array | null;
}

/** Packs and unpacks blocks by Zstandard in threads of their own. To be closed. */
export class BlockPacker implements Packer {
  readonly atOnce: number;
  private workers: Worker[] | null = null;
  private readonly waiting = new Map<number, { resolve: (answer: Answer) => void; reject: (error: Error) => void }>();
  private next = 0;

  /** Threads begin with the first block. */
  constructor(private readonly threads = Math.min(THREADS_MAX, availableParallelism())) {
    this.atOnce = threads * (1 + WAITING_EACH);
  }

  /** The block is lent to a thread: whoever gave it must not change it until it is packed. */
  async pack(block: Uint8Array): Promise<Uint8Array> {
    const { bytes } = await this.ask({ block });
    if (!bytes) throw new Error("A block was not packed.");
    return bytes;
  }

  /** As readers of images want it. What does not say beforehand that it comes to `bytes` is not unpacked here. */
  readonly unpack: Unpack = async (packed, bytes) => {
    if (frameContentBytes(packed) !== bytes) return null;
    const answer = await this.ask({ packed });
    return answer.bytes?.length === bytes ? answer.bytes : null;
  };

  private ask(what: { block: Uint8Array } | { packed: Uint8Array }): Promise<Answer> {
    const id = this.next++;
    this.workers ??= Array.from({ length: this.threads }, () => this.begin());
    const worker = this.workers[id % this.threads];
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve, reject });
      worker?.postMessage({ id, ...what });
    });
  }

  async close(): Promise<void> {
    await Promise.all((this.workers ?? []).map((worker) => worker.terminate()));
  }

  private begin(): Worker {
    const root = process.env.CREEL_ROOT ?? process.cwd();
    const worker = new Worker(join(/* turbopackIgnore: true */ root, ...WORKER));
    worker.on("message", (answer: Answer) => {
      this.waiting.get(answer.id)?.resolve(answer);
      this.waiting.delete(answer.id);
    });
    worker.on("error", (error: Error) => {
      for (const { reject } of this.waiting.values()) reject(error);
      this.waiting.clear();
    });
    return worker;
  }
}

/** What a frame says that it comes to; null where it does not say (RFC 8878, 3.1.1.1). */
function frameContentBytes(frame: Uint8Array): number | null {
  if (frame.length < 18) return null;
  const fields = new Fields(frame);
  if (fields.u32le(0) !== 0xfd2fb528) return null;
  const descriptor = fields.u8(4);
  const isSingleSegment = (descriptor & 0x20) !== 0;
  const dictionaryBytes = [0, 1, 2, 4][descriptor & 3] ?? 0;
  const at = 5 + (isSingleSegment ? 0 : 1) + dictionaryBytes;
  switch (descriptor >> 6) {
    case 0:
      return isSingleSegment ? fields.u8(at) : null;
    case 1:
      return fields.u16le(at) + 256;
    case 2:
      return fields.u32le(at);
    default:
      return toSafeNumber(fields.u64le(at));
  }
}
