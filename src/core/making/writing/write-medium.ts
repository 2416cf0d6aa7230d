import { type Layout, LayoutSource } from "../../formats/pieces";
import { isZero } from "../../kernel/fields";
import { itemAt } from "../../kernel/item-at";
import { type ByteSource, readInto } from "../../kernel/source";
import { type Block, blocksOf, sameBytes } from "./blocks";
import { type Device, DeviceFault } from "./device";

const PHASES = ["write", "flush", "verify"] as const;
export type Phase = (typeof PHASES)[number];

/**
 * What is kept of a job so that it can go on after anything: how many blocks were written and flushed, and how many of
 * them were read back and found the same. What is told here has happened, whatever happens next.
 */
export interface Journal {
  /** Blocks known to be on the device: a flush came after them. */
  flushedBlocks(): number;
  /** Blocks read back and the same, counted from the first. */
  verifiedBlocks(): number;
  /** Durable once it returns. */
  saveFlushed(blocks: number): Promise<void>;
  saveVerified(blocks: number): Promise<void>;
}

interface Progress {
  phase: Phase;
  /** Of this phase. */
  doneBytes: number;
  totalBytes: number;
}

export interface WriteOptions {
  device: Device;
  layout: Layout;
  journal: Journal;
  /** Whether two runs of bytes are the same; a host may have a quicker way. */
  isSame?: (a: Uint8Array, b: Uint8Array) => boolean;
  onProgress?: (progress: Progress) => void;
  /** Bytes between two points from which the job can go on. */
  checkpointBytes?: number;
  /** Asked between blocks; the job stops where it is, and can go on from there. */
  shouldStop?: () => "pause" | "cancel" | null;
}

export type WriteResult =
  | { state: "verified"; writtenBytes: number; writeMs: number; verifyMs: number }
  | { state: "stopped"; why: "pause" | "cancel"; phase: Phase }
  /** A block came back otherwise than it was written. */
  | { state: "differs"; block: number; start: number; lengthBytes: number }
  /** Behind its true size the device begins again: what was written fits, but what is put there later will not. */
  | { state: "wraps"; trueBytes: number }
  | { state: "fault"; phase: Phase; code: DeviceFault["code"]; offset: number | null }
  /** What should have been written could not be read: a release's file that is gone or cut short. */
  | { state: "source-failed"; offset: number; wantedBytes: number };

/** Between two points from which a job can go on; a flush of slow flash takes seconds. */
const CHECKPOINT_BYTES = 256 << 20;
/** Blocks that are read back and compared at a time, each in memory twice. */
const READ_AT_ONCE = 3;
/** After a break so many blocks are read again of those that were verified: the first ones, with tables and folders, and some of the rest. */
const LOOKED_AT_FIRST = 8;
const LOOKED_AT_AGAIN = 32;

/**
 * Writes a layout to a device, flushes, reads everything back and compares it block by block. Only `verified` says that
 * every block was read back from the device and is what was written. Goes on where the journal says it was.
 */
export async function writeMedium(options: WriteOptions): Promise<WriteResult> {
  const { device, layout, journal } = options;
  const blocks = blocksOf(layout);
  const source = new LayoutSource(layout);
  const isSame = options.isSame ?? sameBytes;
  // Blocks that were nothing but zeros when they were written: their source is not read a second time.
  const zeros = new Set<number>();
  let phase: Phase = "write";
  const phaseIs = (next: Phase) => {
    phase = next;
  };
  try {
    const startedAt = performance.now();
    const written = await writeBlocks(options, source, blocks, phaseIs);
    if (written) return written;
    const writtenAt = performance.now();
    phaseIs("verify");
    const verified = await verifyBlocks(options, blocks);
    if (verified) return verified;
    const verifiedAt = performance.now();
    const trueBytes = await wrapsAt(device, blocks);
    if (trueBytes !== null) return { state: "wraps", trueBytes };
    return {
      state: "verified",
      writtenBytes: totalBytes(blocks),
      writeMs: writtenAt - startedAt,
      verifyMs: verifiedAt - writtenAt,
    };
  } catch (error) {
    if (error instanceof DeviceFault) return { state: "fault", phase, code: error.code, offset: error.offset };
    throw error;
  } finally {
    // A block that was begun is not left running behind whoever asked.
    await device.close().catch(() => {});
  }

  /** Null once all blocks are on the device. */
  async function writeBlocks(
    { onProgress, shouldStop }: WriteOptions,
    content: ByteSource,
    all: Block[],
    tell: (next: Phase) => void,
  ): Promise<WriteResult | null> {
    const first = Math.min(journal.flushedBlocks(), all.length);
    let doneBytes = totalBytes(all.slice(0, first));
    const wholeBytes = totalBytes(all);
    let sinceCheckpoint = 0;
    const checkpoint = async (upTo: number) => {
      tell("flush");
      onProgress?.({ phase: "flush", doneBytes, totalBytes: wholeBytes });
      await device.flush();
      await journal.saveFlushed(upTo);
      sinceCheckpoint = 0;
      tell("write");
    };
    // Two buffers in turn: one is filled while the other is written.
    const buffers = buffersOf(all, 2);
    const read = async (at: number): Promise<Uint8Array | null> => {
      const block = all[at];
      if (!block) return null;
      const target = itemAt(buffers, at % 2).subarray(0, block.lengthBytes);
      return target.subarray(0, await readInto(content, block.start, target));
    };
    let next = read(first);
    for (let at = first; at < all.length; at++) {
      const block = itemAt(all, at);
      const stop = shouldStop?.() ?? null;
      if (stop) {
        await next.catch(() => {});
        if (sinceCheckpoint > 0 && stop === "pause") await checkpoint(at);
        return { state: "stopped", why: stop, phase: "write" };
      }
      const bytes = (await next) as Uint8Array;
      if (bytes.length < block.lengthBytes)
        return { state: "source-failed", offset: block.start + bytes.length, wantedBytes: block.lengthBytes };
      // The next block is read while this one is written.
      next = read(at + 1);
      next.catch(() => {});
      if (isZero(bytes)) zeros.add(at);
      await device.write(block.start, bytes);
      doneBytes += block.lengthBytes;
      sinceCheckpoint += block.lengthBytes;
      onProgress?.({ phase: "write", doneBytes, totalBytes: wholeBytes });
      if (sinceCheckpoint >= (options.checkpointBytes ?? CHECKPOINT_BYTES)) await checkpoint(at + 1);
    }
    if (sinceCheckpoint > 0 || journal.flushedBlocks() < all.length) await checkpoint(all.length);
    return null;
  }

  /** Reads a block back from the device, and anew from where it came. */
  async function isAsWanted({ start, lengthBytes }: Block, [one, other]: Pair, knownZero: boolean): Promise<boolean> {
    const [bytes, wanted] = [one.subarray(0, lengthBytes), other.subarray(0, lengthBytes)];
    if (knownZero) return (await readInto(device, start, bytes)) === lengthBytes && isZero(bytes);
    const [got, given] = await Promise.all([readInto(device, start, bytes), readInto(source, start, wanted)]);
    return got === lengthBytes && given === lengthBytes && isSame(bytes, wanted);
  }

  /** Of the blocks that were read back before a break, some are read again: the first that is not the same any more. */
  async function changedSince(all: Block[], verified: number): Promise<number | null> {
    const step = Math.max(1, Math.floor(verified / LOOKED_AT_AGAIN));
    const pair = buffersOf(all.slice(0, verified), 2) as Pair;
    for (let at = 0; at < verified; at += at < LOOKED_AT_FIRST ? 1 : step) {
      const block = itemAt(all, at);
      if (!(await isAsWanted(block, pair, zeros.has(at)))) return at;
    }
    return null;
  }

  /** Null once every block was read back and is the same. */
  async function verifyBlocks({ onProgress, shouldStop }: WriteOptions, all: Block[]): Promise<WriteResult | null> {
    const first = Math.min(journal.verifiedBlocks(), all.length);
    const changed = await changedSince(all, first);
    if (changed !== null) {
      // Somebody else wrote to it meanwhile: what was read back before says nothing any more.
      await journal.saveVerified(0);
      const block = itemAt(all, changed);
      return { state: "differs", block: changed, ...block };
    }
    const wholeBytes = totalBytes(all);
    let doneBytes = totalBytes(all.slice(0, first));
    let sinceSave = 0;
    // Some blocks are read at once, and judged in their order.
    const pairs = buffersOf(all, READ_AT_ONCE * 2);
    const pairAt = (at: number) => pairs.slice((at % READ_AT_ONCE) * 2).slice(0, 2) as Pair;
    const ahead: Promise<boolean>[] = [];
    let begun = first;
    for (let at = first; at < all.length; at++) {
      const block = itemAt(all, at);
      const stop = shouldStop?.() ?? null;
      if (stop) {
        await Promise.allSettled(ahead);
        await journal.saveVerified(at);
        return { state: "stopped", why: stop, phase: "verify" };
      }
      for (; begun < all.length && ahead.length < READ_AT_ONCE; begun++) {
        const one = isAsWanted(itemAt(all, begun), pairAt(begun), zeros.has(begun));
        one.catch(() => {});
        ahead.push(one);
      }
      if (!(await ahead.shift())) {
        await journal.saveVerified(at);
        return { state: "differs", block: at, start: block.start, lengthBytes: block.lengthBytes };
      }
      doneBytes += block.lengthBytes;
      sinceSave += block.lengthBytes;
      onProgress?.({ phase: "verify", doneBytes, totalBytes: wholeBytes });
      if (sinceSave >= (options.checkpointBytes ?? CHECKPOINT_BYTES)) {
        await journal.saveVerified(at + 1);
        sinceSave = 0;
      }
    }
    await journal.saveVerified(all.length);
    return null;
  }
}

const PROBE_BYTES = 4096;
const PROBE_STEP_BYTES = 1 << 20;
const PROBES_MOST = 65_536;

/**
 * Where the beginning of a device shows up once more, between what was written: its true size, to the mebibyte. A full
 * test of its capacity finds more; this one costs seconds and is made each time.
 */
async function wrapsAt(device: Device, blocks: Block[]): Promise<number | null> {
  const [first] = blocks;
  if (!first || first.start !== 0 || first.lengthBytes < PROBE_BYTES) return null;
  const beginning = await device.read(0, PROBE_BYTES);
  if (beginning.every((byte) => byte === 0)) return null;
  const step = Math.max(1, Math.ceil(device.sizeBytes / PROBES_MOST / PROBE_STEP_BYTES)) * PROBE_STEP_BYTES;
  for (let at = step, next = 0; at + PROBE_BYTES <= device.sizeBytes; at += step) {
    while (next < blocks.length && itemAt(blocks, next).start + itemAt(blocks, next).lengthBytes <= at) next++;
    const block = blocks[next];
    if (block && block.start < at + PROBE_BYTES) continue;
    if (sameBytes(await device.read(at, PROBE_BYTES), beginning)) return at;
  }
  return null;
}

/** Memory for a block as it is and as it should be. */
type Pair = [Uint8Array, Uint8Array];

/** So many buffers, each as large as the largest block; used again and again, so that a job's memory stays as it is. */
function buffersOf(blocks: Block[], count: number): Uint8Array[] {
  const largest = blocks.reduce((most, { lengthBytes }) => Math.max(most, lengthBytes), 0);
  return Array.from({ length: count }, () => new Uint8Array(largest));
}

function totalBytes(blocks: Block[]): number {
  return blocks.reduce((sum, { lengthBytes }) => sum + lengthBytes, 0);
}
