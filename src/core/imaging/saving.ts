import { hex, isZero } from "../kernel/fields";
import { type ByteRange, type ByteSource, ReadFailed } from "../kernel/source";
import { blockDigest, sameBytes } from "../making/writing/blocks";
import {
  BLOCK_BYTES,
  ENTRY_BYTES,
  encodeEntries,
  encodeFooter,
  encodeHeader,
  FOOTER_BYTES,
  HEADER_BYTES,
  type ImageManifest,
  INDEX_MAX_BYTES,
  type IndexEntry,
} from "./form";
import { digestOfEnds, type ImageReader } from "./reading";
import { type SavingPlan, savedRanges } from "./saving-plan";

/** Where an image goes, piece by piece. Throws where the store does not take it. */
interface ImageSink {
  write(bytes: Uint8Array): Promise<void>;
}

/** Packs a block into one frame of its own (RFC 8878); several may be under way at once. */
export interface Packer {
  /** Blocks that may be under way at once. */
  readonly atOnce: number;
  pack(block: Uint8Array): Promise<Uint8Array>;
}

export interface SaveOptions {
  disk: ByteSource;
  plan: SavingPlan;
  packer: Packer;
  sink: ImageSink;
  about: Pick<ImageManifest, "id" | "made" | "by" | "computer"> & {
    disk: Pick<ImageManifest["disk"], "name" | "model" | "serial">;
  };
  /** The image of the same disk that this one goes on from. */
  before?: ImageReader | null;
  blockBytes?: number;
  onProgress?: (progress: SaveProgress) => void;
  shouldStop?: () => boolean;
}

interface SaveProgress {
  /** Of what is saved. */
  doneBytes: number;
  totalBytes: number;
  writtenBytes: number;
}

export type SaveResult =
  | { state: "saved"; manifest: ImageManifest; digest: string; fileBytes: number }
  | { state: "stopped" }
  /** More blocks are in use than an image of this form can hold. */
  | { state: "too-large" }
  /** The image before is of another disk, or of other blocks. */
  | { state: "before-differs" };

/** A range that cannot be read is tried in smaller and smaller pieces, down to this. */
const READ_LEAST_BYTES = 4096;

/**
 * Saves what a plan says of a disk. What the disk does not give is named in the manifest and stands as zeros; an error of
 * the sink is thrown. The disk is only read.
 */
export async function saveDisk(options: SaveOptions): Promise<SaveResult> {
  const { disk, plan, packer, sink, about, before = null, blockBytes = BLOCK_BYTES } = options;
  if (before && (before.sizeBytes !== plan.diskBytes || before.manifest.blockBytes !== blockBytes))
    return { state: "before-differs" };
  const header = encodeHeader(about.id, blockBytes);
  await sink.write(header);
  let offset = HEADER_BYTES;
  let doneBytes = 0;
  const unread: ByteRange[] = [];
  const entries: IndexEntry[] = [];
  const counts = { count: 0, zero: 0, before: 0, packed: 0, packedBytes: 0 };
  const keep = async ({ number, digest, packed, kind, lengthBytes }: Prepared) => {
    const entry: IndexEntry = { number, kind, offset: 0, packedBytes: 0, digest };
    if (packed) {
      await sink.write(packed);
      entry.offset = offset;
      entry.packedBytes = packed.length;
      offset += packed.length;
      counts.packedBytes += packed.length;
    }
    counts[kind]++;
    entries.push(entry);
    doneBytes += lengthBytes;
    options.onProgress?.({ doneBytes, totalBytes: plan.savedBytes, writtenBytes: offset });
  };
  // Blocks are read in order, packed several at once, and written in order.
  const underWay: Promise<Prepared>[] = [];
  try {
    for await (const { number, ranges, bytes } of blocksOf(plan, blockBytes)) {
      if (options.shouldStop?.()) return { state: "stopped" };
      if ((entries.length + underWay.length + 1) * ENTRY_BYTES > INDEX_MAX_BYTES) return { state: "too-large" };
      const block = await readRanges(disk, number * blockBytes, ranges, bytes, unread);
      const lengthBytes = ranges.reduce((sum, range) => sum + range.lengthBytes, 0);
      const work = prepare(number, block, lengthBytes, packer, before);
      // Whoever waits for it hears of what went wrong; until then nobody does.
      work.catch(() => {});
      underWay.push(work);
      while (underWay.length >= packer.atOnce) await keep(await (underWay.shift() as Promise<Prepared>));
    }
    for (let next = underWay.shift(); next; next = underWay.shift()) await keep(await next);
  } finally {
    await Promise.allSettled(underWay);
  }
  const manifest: ImageManifest = {
    schema: "creel.image/1",
    id: about.id,
    made: about.made,
    by: about.by,
    computer: about.computer,
    disk: { ...about.disk, bytes: plan.diskBytes, sectorBytes: plan.sectorBytes },
    table: plan.table,
    partitions: plan.partitions,
    blockBytes,
    blocks: { ...counts, count: entries.length },
    unread: unread.map(({ start, lengthBytes }) => ({ start, bytes: lengthBytes })),
    before: before ? { id: before.manifest.id, digest: before.digest } : null,
  };
  const index = encodeEntries(entries);
  const text = new TextEncoder().encode(JSON.stringify(manifest));
  const tail = new Uint8Array(index.length + text.length);
  tail.set(index);
  tail.set(text, index.length);
  const own = encodeFooter({
    indexOffset: offset,
    indexBytes: index.length,
    manifestOffset: offset + index.length,
    manifestBytes: text.length,
  });
  const footer = new Uint8Array(FOOTER_BYTES);
  footer.set(own);
  const digest = await digestOfEnds(header, tail, footer);
  footer.set(digest, own.length);
  await sink.write(tail);
  await sink.write(footer);
  return { state: "saved", manifest, digest: hex(digest), fileBytes: offset + tail.length + footer.length };
}

interface Prepared {
  number: number;
  kind: IndexEntry["kind"];
  packed: Uint8Array | null;
  digest: Uint8Array;
  /** Of the disk, that were read for it. */
  lengthBytes: number;
}

async function prepare(
  number: number,
  block: Uint8Array,
  lengthBytes: number,
  packer: Packer,
  before: ImageReader | null,
): Promise<Prepared> {
  const digest = await blockDigest(block);
  if (isZero(block)) return { number, kind: "zero", packed: null, digest, lengthBytes };
  const earlier = before?.digestOf(number);
  if (earlier && sameBytes(digest, earlier)) return { number, kind: "before", packed: null, digest, lengthBytes };
  return { number, kind: "packed", packed: await packer.pack(block), digest, lengthBytes };
}

/** The blocks that hold something, in order, with the ranges of them that are saved. */
async function* blocksOf(plan: SavingPlan, blockBytes: number) {
  let last = -1;
  for (const region of plan.regions) {
    const end = region.start + region.lengthBytes;
    // Two regions may share a block: it was given with the first of them.
    for (let number = Math.max(last + 1, Math.floor(region.start / blockBytes)); number * blockBytes < end; number++) {
      const start = number * blockBytes;
      const bytes = Math.min(blockBytes, plan.diskBytes - start);
      const ranges = await savedRanges(plan, start, start + bytes);
      last = number;
      if (ranges.length > 0) yield { number, ranges, bytes };
    }
  }
}

/** A block with what is saved of it; what is not, and what the disk does not give, is zeros. */
async function readRanges(
  disk: ByteSource,
  blockStart: number,
  ranges: readonly ByteRange[],
  bytes: number,
  unread: ByteRange[],
): Promise<Uint8Array> {
  const block = new Uint8Array(bytes);
  for (const { start, lengthBytes } of ranges) await readAround(disk, blockStart, block, start, lengthBytes, unread);
  return block;
}

async function readAround(
  disk: ByteSource,
  blockStart: number,
  block: Uint8Array,
  start: number,
  lengthBytes: number,
  unread: ByteRange[],
): Promise<void> {
  let got: Uint8Array;
  try {
    got = await disk.read(start, lengthBytes);
    if (got.length < lengthBytes) throw new ReadFailed(start + got.length, lengthBytes - got.length);
    block.set(got, start - blockStart);
  } catch (error) {
    if (!(error instanceof ReadFailed)) throw error;
    if (lengthBytes <= READ_LEAST_BYTES) {
      const last = unread.at(-1);
      if (last && last.start + last.lengthBytes === start) last.lengthBytes += lengthBytes;
      else unread.push({ start, lengthBytes });
      return;
    }
    // Halves end on multiples of the least piece, so that a bad sector costs no more than that.
    const half = Math.max(READ_LEAST_BYTES, Math.floor(lengthBytes / 2 / READ_LEAST_BYTES) * READ_LEAST_BYTES);
    await readAround(disk, blockStart, block, start, half, unread);
    await readAround(disk, blockStart, block, start + half, lengthBytes - half, unread);
  }
}
