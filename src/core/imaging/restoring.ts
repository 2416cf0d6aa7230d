import { gptForSize } from "../formats/gpt-moving";
import type { Piece } from "../formats/pieces";
import type { ByteRange } from "../kernel/source";
import { blockDigest, sameBytes } from "../making/writing/blocks";
import { type Device, DeviceFault } from "../making/writing/device";
import type { ImageManifest, IndexEntry } from "./form";
import type { ImageReader } from "./reading";

export interface RestoreTarget {
  bytes: number;
  sectorBytes: number;
}

/** What would be written onto a disk. Places and sizes in bytes. */
interface RestorePlan {
  /** What of the disk is written: all of it, or the partitions that were chosen. */
  ranges: ByteRange[];
  /** Tables that have to stand otherwise than in the image, since the disk is of another size. */
  tables: Piece[];
  /** Blocks that are written. */
  blocks: number;
  /** What follows the last partition and is free on the new disk; a system's own tools may let its partition grow into it. */
  freeAtEndBytes: number;
}

export type RestoreRefusal =
  /** Tables and file systems count in sectors: they hold on disks with the same ones only. */
  | { code: "other-sectors"; image: number; disk: number }
  | { code: "too-small"; neededBytes: number; diskBytes: number }
  /** Its table cannot be written for a disk of this size. */
  | { code: "table-damaged" }
  | { code: "no-such-partition"; number: number }
  | { code: "partition-not-saved"; number: number }
  /** Single partitions go where they were: the disk has no partition there, or another one. */
  | { code: "partition-elsewhere"; number: number };

export type RestorePlanResult = { ok: true; plan: RestorePlan } | { ok: false; why: RestoreRefusal };

/** What a disk must hold at least: all saved partitions, and for a GPT its copy behind them. */
export function neededBytes({ disk, partitions, table }: ImageManifest): number {
  if (table === "none") return disk.bytes;
  const end = Math.max(0, ...partitions.map((each) => each.start + each.bytes));
  // 128 entries of 128 bytes, and the header: UEFI 2.10, 5.3.
  const behind = table === "gpt" ? 16_384 + disk.sectorBytes : 0;
  return Math.min(disk.bytes, Math.ceil((end + behind) / disk.sectorBytes) * disk.sectorBytes);
}

/** Whether an image goes onto a disk, and what would be written: all of it, or only some partitions, where they were. */
export async function planRestore(
  image: ImageReader,
  target: RestoreTarget,
  only: { numbers: readonly number[]; onTarget: readonly ByteRange[] } | null = null,
): Promise<RestorePlanResult> {
  const { manifest } = image;
  const refuse = (why: RestoreRefusal): RestorePlanResult => ({ ok: false, why });
  const { sectorBytes } = manifest.disk;
  if (target.sectorBytes !== sectorBytes)
    return refuse({ code: "other-sectors", image: sectorBytes, disk: target.sectorBytes });
  const diskBytes = Math.floor(target.bytes / sectorBytes) * sectorBytes;
  if (only) return planPartitions(image, only);
  const needed = neededBytes(manifest);
  if (diskBytes < needed) return refuse({ code: "too-small", neededBytes: needed, diskBytes });
  const isSameSize = diskBytes === manifest.disk.bytes;
  const tables =
    manifest.table === "gpt" && !isSameSize ? await gptForSize(image, sectorBytes, diskBytes / sectorBytes) : [];
  if (!tables) return refuse({ code: "table-damaged" });
  const ranges = [{ start: 0, lengthBytes: Math.min(diskBytes, manifest.disk.bytes) }];
  const end = Math.max(0, ...manifest.partitions.map((each) => each.start + each.bytes));
  const freeAtEndBytes = manifest.table === "none" ? 0 : Math.max(0, diskBytes - end);
  return { ok: true, plan: { ranges, tables, blocks: countBlocks(image, ranges), freeAtEndBytes } };
}

function planPartitions(
  image: ImageReader,
  { numbers, onTarget }: { numbers: readonly number[]; onTarget: readonly ByteRange[] },
): RestorePlanResult {
  const ranges: ByteRange[] = [];
  for (const number of numbers) {
    const found = image.manifest.partitions.find((each) => each.number === number);
    if (!found) return { ok: false, why: { code: "no-such-partition", number } };
    if (found.saved === "nothing") return { ok: false, why: { code: "partition-not-saved", number } };
    const isThere = onTarget.some((each) => each.start === found.start && each.lengthBytes === found.bytes);
    if (!isThere) return { ok: false, why: { code: "partition-elsewhere", number } };
    ranges.push({ start: found.start, lengthBytes: found.bytes });
  }
  ranges.sort((a, b) => a.start - b.start);
  return { ok: true, plan: { ranges, tables: [], blocks: countBlocks(image, ranges), freeAtEndBytes: 0 } };
}

/** What of a block falls into the ranges, in bytes of the disk. */
function partsOf(image: ImageReader, { number }: IndexEntry, ranges: readonly ByteRange[]): ByteRange[] {
  const { blockBytes } = image.manifest;
  const start = number * blockBytes;
  const end = Math.min(start + blockBytes, image.sizeBytes);
  return ranges.flatMap((range) => {
    const from = Math.max(start, range.start);
    const to = Math.min(end, range.start + range.lengthBytes);
    return from < to ? [{ start: from, lengthBytes: to - from }] : [];
  });
}

/** The blocks of which something falls into the ranges. */
function* entriesIn(image: ImageReader, ranges: readonly ByteRange[]): Generator<IndexEntry> {
  for (const entry of image.entries()) if (partsOf(image, entry, ranges).length > 0) yield entry;
}

function countBlocks(image: ImageReader, ranges: readonly ByteRange[]): number {
  let count = 0;
  for (const _ of entriesIn(image, ranges)) count++;
  return count;
}

interface RestoreProgress {
  phase: "write" | "verify";
  doneBlocks: number;
  blocks: number;
}

export interface RestoreOptions {
  image: ImageReader;
  device: Device;
  plan: RestorePlan;
  onProgress?: (progress: RestoreProgress) => void;
  shouldStop?: () => boolean;
}

export type RestoreResult =
  | { state: "restored"; writtenBytes: number; writeMs: number; verifyMs: number }
  /** Part of it is written: the disk holds neither what it held nor what it should. */
  | { state: "stopped"; phase: "write" | "verify" }
  | { state: "differs"; start: number }
  | { state: "fault"; code: DeviceFault["code"]; offset: number | null };

/**
 * Writes an image onto a disk and reads it back. The table's first sector is written last: a disk on which it was cut off
 * does not look like one that starts. Throws `ReadFailed` where the image is damaged; the image is only read.
 */
export async function restoreDisk(options: RestoreOptions): Promise<RestoreResult> {
  const { image, device, plan, onProgress, shouldStop } = options;
  const startedAt = performance.now();
  const { blockBytes } = image.manifest;
  let writtenBytes = 0;
  const first = firstSectorOf(options);
  try {
    // What the first sector says now would describe a disk that is no longer there.
    if (first) await device.write(0, new Uint8Array(first.length));
    let doneBlocks = 0;
    for await (const { entry, block } of image.blocks(entriesIn(image, plan.ranges))) {
      if (shouldStop?.()) return { state: "stopped", phase: "write" };
      for (const { start, lengthBytes } of partsOf(image, entry, plan.ranges)) {
        const at = start - entry.number * blockBytes;
        const bytes = block.subarray(at, at + lengthBytes);
        if (start === 0 && first) {
          first.set(bytes.subarray(0, first.length));
          await device.write(first.length, bytes.subarray(first.length));
        } else await device.write(start, bytes);
        writtenBytes += lengthBytes;
      }
      onProgress?.({ phase: "write", doneBlocks: ++doneBlocks, blocks: plan.blocks });
    }
    for (const { start, content } of plan.tables) {
      const bytes = await content.read(0, content.sizeBytes);
      if (start === 0 && first) first.set(bytes.subarray(0, first.length));
      else await device.write(start, bytes);
    }
    await device.flush();
    if (first) {
      await device.write(0, first);
      await device.flush();
    }
    const writtenAt = performance.now();
    const read = await readBack(options);
    if (read) return read;
    return {
      state: "restored",
      writtenBytes,
      writeMs: writtenAt - startedAt,
      verifyMs: performance.now() - writtenAt,
    };
  } catch (error) {
    if (error instanceof DeviceFault) return { state: "fault", code: error.code, offset: error.offset };
    throw error;
  }
}

/** The first sector, kept back until all else is written; null where it is not written at all. */
function firstSectorOf({ plan, device }: RestoreOptions): Uint8Array | null {
  return plan.ranges.some((range) => range.start === 0) ? new Uint8Array(device.identity.sectorBytes) : null;
}

/** Null once all of it was read from the disk and is what was written. */
async function readBack({
  image,
  device,
  plan,
  onProgress,
  shouldStop,
}: RestoreOptions): Promise<RestoreResult | null> {
  const { blockBytes } = image.manifest;
  const changed = plan.tables.map(({ start, content }) => ({ start, end: start + content.sizeBytes }));
  let doneBlocks = 0;
  for (const entry of entriesIn(image, plan.ranges)) {
    const parts = partsOf(image, entry, plan.ranges);
    if (shouldStop?.()) return { state: "stopped", phase: "verify" };
    const blockStart = entry.number * blockBytes;
    for (const { start, lengthBytes } of parts) {
      const bytes = await device.read(start, lengthBytes);
      const overlaps = changed.filter((each) => each.start < start + lengthBytes && each.end > start);
      const isWhole = lengthBytes === Math.min(blockBytes, image.sizeBytes - blockStart) && overlaps.length === 0;
      if (isWhole ? !sameBytes(await blockDigest(bytes), entry.digest) : !(await isAsPlanned(start, bytes, overlaps)))
        return { state: "differs", start };
    }
    onProgress?.({ phase: "verify", doneBlocks: ++doneBlocks, blocks: plan.blocks });
  }
  for (const { start, content } of plan.tables)
    if (!sameBytes(await device.read(start, content.sizeBytes), await content.read(0, content.sizeBytes)))
      return { state: "differs", start };
  return null;

  /** What the image has there, but for the tables, which are compared by themselves. */
  async function isAsPlanned(start: number, bytes: Uint8Array, overlaps: { start: number; end: number }[]) {
    const wanted = (await image.read(start, bytes.length)).slice();
    const got = bytes.slice();
    for (const { start: from, end: to } of overlaps) {
      const [low, high] = [Math.max(0, from - start), Math.min(bytes.length, to - start)];
      wanted.fill(0, low, high);
      got.fill(0, low, high);
    }
    return sameBytes(got, wanted);
  }
}
