import { randomBytes } from "node:crypto";
import { once } from "node:events";
import { realpath, rm, stat, truncate, writeFile } from "node:fs/promises";
import { dirname } from "node:path";
import { findEntry } from "@/core/formats/file-tree";
import type { ImageReader } from "@/core/imaging/reading";
import { planRestore, type RestoreResult, restoreDisk } from "@/core/imaging/restoring";
import { saveDisk } from "@/core/imaging/saving";
import { planSaving } from "@/core/imaging/saving-plan";
import { parseSize } from "@/core/kernel/parse-size";
import { type ByteRange, CachedSource, ReadFailed } from "@/core/kernel/source";
import { readTables } from "@/core/medium/tables/tables";
import { volumesOf } from "@/core/medium/volumes/volumes";
import {
  blockFaultText,
  imageFaultText,
  imageLines,
  restoreRefusalText,
  savedPartitionText,
} from "@/core/words/imaging";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { BlockPacker } from "@/server/host/block-packer";
import { ImageNotOpened, NewFile, withDiskImage } from "@/server/host/disk-images";
import { deviceSectorBytes, isOnDevice } from "@/server/host/file-source";
import { openDisk } from "@/server/host/handle-device";
import { fileProblem, readSectorBytes, UsageError, withFile } from "./problems";

const BY = "Creel";

export interface SaveImageOptions {
  to: string;
  tag?: string;
  before?: string;
  partitions?: string;
  sectorBytes?: string;
  json?: boolean;
}

/** Saves a disk, or a raw image of one, into a new file. What was cut off is not left there. */
export function runImageSave(file: string, options: SaveImageOptions): Promise<void> {
  return withFile(file, async (disk) => {
    const sectorBytes = readSectorBytes(options.sectorBytes) ?? (await deviceSectorBytes(file)) ?? 512;
    const plan = await planSaving(disk, { sectorBytes, partitions: readNumbers(options.partitions) });
    const missing = readNumbers(options.partitions)?.find(
      (number) => !plan.partitions.some((each) => each.number === number),
    );
    if (missing !== undefined) throw new UsageError(`${visible(file)}: it has no partition ${missing}`);
    if (!options.json)
      for (const each of plan.partitions) process.stdout.write(`partition${savedPartitionText(each)}\n`);
    if (await isOnDevice(dirname(options.to), file))
      throw new UsageError(`${visible(options.to)}: it is on the disk to be saved; choose another disk`);
    const save = async (before: ImageReader | null) => {
      if (await isThere(options.to)) throw new UsageError(`${visible(options.to)}: the file exists already`);
      const sink = await opened(options.to, () => NewFile.create(options.to));
      const packer = new BlockPacker();
      try {
        const result = await saveDisk({
          disk,
          plan,
          packer,
          sink: { write: (bytes) => opened(options.to, () => sink.write(bytes)) },
          before,
          about: {
            id: randomBytes(16).toString("hex"),
            made: new Date().toISOString(),
            by: BY,
            computer: { tag: options.tag ?? null, serial: null, uuid: null },
            disk: { name: disk.name, model: null, serial: null },
          },
          onProgress: ({ doneBytes, totalBytes }) => progress("saved", doneBytes / Math.max(1, totalBytes)),
        });
        if (result.state === "before-differs")
          throw new UsageError(`${visible(options.before ?? "")}: it is an image of a disk of another size`);
        if (result.state !== "saved")
          throw new UsageError(`${visible(file)}: more of it is in use than an image can hold`);
        await opened(options.to, () => sink.finish());
        const lines = imageLines(result.manifest);
        process.stdout.write(options.json ? `${JSON.stringify(result.manifest)}\n` : `${lines.join("\n")}\n`);
      } finally {
        await packer.close();
        await sink.close();
      }
    };
    if (options.before === undefined) await save(null);
    else await withImage(options.before, save);
  });
}

export function runImageInfo(file: string, options: { json?: boolean }): Promise<void> {
  return withImage(file, async ({ manifest, digest }) => {
    process.stdout.write(
      options.json ? `${JSON.stringify({ ...manifest, digest })}\n` : `${imageLines(manifest).join("\n")}\n`,
    );
  });
}

/** Reads every block. Exit 1, with `--check`, where one is not what was saved. */
export function runImageVerify(file: string, options: { json?: boolean; check?: boolean }): Promise<number> {
  return withImage(file, async (image) => {
    const faults = await image.verify((done, of) => progress("verified", done / Math.max(1, of)));
    const { blockBytes, blocks } = image.manifest;
    if (options.json)
      process.stdout.write(`${JSON.stringify({ id: image.manifest.id, blocks: blocks.count, faults })}\n`);
    else if (faults.length === 0) process.stdout.write(`Intact: ${blocks.count} blocks verified.\n`);
    else process.stdout.write(`${faults.map((fault) => blockFaultText(fault, blockBytes)).join("\n")}\n`);
    return options.check && faults.length > 0 ? 1 : 0;
  });
}

/** One file of a disk as it was, to standard output. */
export function runImageCat(file: string, path: string, options: { partition?: string }): Promise<void> {
  return withImage(file, async (image) => {
    const volumes = await volumesOf(new CachedSource(image), [], image.manifest.disk.sectorBytes);
    for (const volume of volumes) {
      if (options.partition !== undefined && String(volume.id) !== options.partition) continue;
      const entry = await findEntry(volume.tree, path);
      const content = entry && !entry.directory ? await volume.tree.open(entry) : null;
      if (!content) continue;
      for (let at = 0; at < content.sizeBytes; at += 1 << 20)
        if (!process.stdout.write(await content.read(at, 1 << 20))) await once(process.stdout, "drain");
      return;
    }
    throw new UsageError(`${visible(file)}: it has no readable file ${visible(path)}`);
  });
}

export interface RestoreImageOptions {
  to: string;
  size?: string;
  partitions?: string;
  erase?: boolean;
  json?: boolean;
}

/** Writes an image onto a disk, or into a raw file, and reads it back. Exit 1 where it does not go onto it. */
export function runImageRestore(file: string, options: RestoreImageOptions): Promise<number> {
  return withImage(file, async (image) => {
    const isNew = await createdFile(options, image.manifest.disk.bytes);
    if (!isNew && !options.erase)
      throw new UsageError(`${visible(options.to)}: everything on it would be erased; add --erase to allow that`);
    if (!isNew && ((await realpath(options.to)) === (await realpath(file)) || (await isOnDevice(file, options.to))))
      throw new UsageError(`${visible(options.to)}: the image itself is there; choose another disk`);
    let isDone = false;
    try {
      const answer = await restoreOnto(image, options);
      isDone = answer === 0;
      return answer;
    } finally {
      if (isNew && !isDone) await rm(options.to, { force: true });
    }
  });
}

async function restoreOnto(image: ImageReader, options: RestoreImageOptions): Promise<number> {
  const device = await opened(options.to, () => openDisk(options.to, image.manifest.disk.sectorBytes));
  try {
    const numbers = readNumbers(options.partitions);
    const target = { bytes: device.sizeBytes, sectorBytes: device.identity.sectorBytes };
    const only = numbers && { numbers, onTarget: await partitionsOf(options.to, target.sectorBytes) };
    const planned = await planRestore(image, target, only);
    if (!planned.ok) {
      const { why } = planned;
      process.stdout.write(options.json ? `${JSON.stringify({ ok: false, why })}\n` : `${restoreRefusalText(why)}\n`);
      return 1;
    }
    const { plan } = planned;
    const result = await restoreDisk({
      image,
      device,
      plan,
      onProgress: ({ phase, doneBlocks, blocks }) =>
        progress(phase === "write" ? "written" : "verified", doneBlocks / Math.max(1, blocks)),
    }).catch((error: unknown) => {
      if (!(error instanceof ReadFailed)) throw error;
      throw new UsageError(`${visible(options.to)}: not restored, the image is damaged; the disk has no usable system`);
    });
    if (result.state !== "restored")
      throw new UsageError(`${visible(options.to)}: not restored (${whereOf(result)}); the disk has no usable system`);
    if (options.json)
      process.stdout.write(`${JSON.stringify({ ok: true, ...result, freeAtEndBytes: plan.freeAtEndBytes })}\n`);
    else process.stdout.write(`${bytesText(result.writtenBytes)} written and verified.\n`);
    return 0;
  } finally {
    await device.close();
  }
}

function whereOf(result: Exclude<RestoreResult, { state: "restored" }>): string {
  switch (result.state) {
    case "stopped":
      return "stopped";
    case "differs":
      return `verification failed at byte ${result.start}`;
    case "fault":
      return `${result.code}${result.offset === null ? "" : ` at byte ${result.offset}`}`;
  }
}

const isThere = (path: string) =>
  stat(path).then(
    () => true,
    () => false,
  );

/** Whether a new file was made, as large as the image's disk or as was said. */
async function createdFile({ to, size }: RestoreImageOptions, diskBytes: number): Promise<boolean> {
  const wanted = size === undefined ? diskBytes : parseSize(size);
  if (wanted === null || wanted < 512)
    throw new UsageError(`--size ${visible(size ?? "")}: a size such as 256GB is needed`);
  if (await isThere(to)) {
    if (size !== undefined) throw new UsageError(`${visible(to)}: it exists already; leave out --size`);
    return false;
  }
  await opened(to, async () => {
    await writeFile(to, "", { flag: "wx" });
    await truncate(to, wanted);
  });
  return true;
}

async function partitionsOf(path: string, sectorBytes: number): Promise<ByteRange[]> {
  return withFile(path, async (source) => {
    const { partitions } = await readTables(new CachedSource(source), false, sectorBytes);
    return partitions.map(({ start, length }) => ({ start, lengthBytes: length }));
  });
}

/** Opens an image; what is wrong with it, or with its file, becomes one line. */
async function withImage<T>(file: string, use: (image: ImageReader) => Promise<T>): Promise<T> {
  try {
    return await withDiskImage(file, use);
  } catch (error) {
    if (error instanceof UsageError) throw error;
    if (error instanceof ImageNotOpened) throw new UsageError(`${visible(file)}: ${imageFaultText(error.fault)}`);
    if (error instanceof ReadFailed || isOfSystem(error))
      throw new UsageError(`${visible(file)}: ${fileProblem(error)}`);
    throw error;
  }
}

const isOfSystem = (error: unknown) => error instanceof Error && "syscall" in error;

/** What the operating system says against a file becomes one line. */
async function opened<T>(path: string, act: () => Promise<T>): Promise<T> {
  try {
    return await act();
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
}

function readNumbers(text: string | undefined): number[] | null {
  if (text === undefined) return null;
  const numbers = text.split(",").map((each) => Number(each.trim()));
  if (numbers.length === 0 || numbers.some((each) => !Number.isInteger(each) || each < 1))
    throw new UsageError(`--partitions is "${visible(text)}", where numbers such as 1,3 are needed`);
  return numbers;
}

let lastShown = -1;

/** On a terminal only, and once a percent. */
function progress(what: string, part: number): void {
  const percent = Math.floor(part * 100);
  if (!process.stderr.isTTY || percent === lastShown) return;
  lastShown = percent;
  process.stderr.write(`\r${percent} % ${what}${percent === 100 ? "\n" : "   "}`);
}
