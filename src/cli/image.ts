import { randomBytes } from "node:crypto";
import { once } from "node:events";
import { type FileHandle, open, readdir, rename, rm, stat, truncate, writeFile } from "node:fs/promises";
import { dirname, join, resolve } from "node:path";
import { findEntry } from "@/core/formats/file-tree";
import { decodeHeader, HEADER_BYTES } from "@/core/imaging/form";
import { ImageReader } from "@/core/imaging/reading";
import { planRestore, restoreDisk } from "@/core/imaging/restoring";
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
import { openDisk } from "@/server/host/disk-device";
import { deviceSectorBytes, FileSource } from "@/server/host/file-source";
import { fileProblem, readSectorBytes, UsageError, withFile } from "./problems";

/** As images of this form are called. */
const ENDING = ".creel-image";
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
    const save = async (before: ImageReader | null) => {
      const sink = await FileSink.create(options.to);
      const packer = new BlockPacker();
      try {
        const result = await saveDisk({
          disk,
          plan,
          packer,
          sink,
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
        await sink.finish();
        const lines = imageLines(result.manifest);
        process.stdout.write(options.json ? `${JSON.stringify(result.manifest)}\n` : `${lines.join("\n")}\n`);
      } finally {
        await packer.close();
        await sink.abandon();
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
    else if (faults.length === 0) process.stdout.write(`Intact: all ${blocks.count} blocks are what was saved.\n`);
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
    throw new UsageError(`${visible(file)}: there is no file ${visible(path)} that can be read in it`);
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
    const { sectorBytes, bytes } = image.manifest.disk;
    const isNew = await createdFile(options, bytes);
    if (!isNew && !options.erase)
      throw new UsageError(`${visible(options.to)}: all that it holds would be lost; say --erase if that is meant`);
    const device = await opened(options.to, () => openDisk(options.to, sectorBytes));
    try {
      const numbers = readNumbers(options.partitions);
      const only = numbers && { numbers, onTarget: await partitionsOf(options.to, sectorBytes) };
      const planned = await planRestore(
        image,
        { bytes: device.sizeBytes, sectorBytes: device.identity.sectorBytes },
        only,
      );
      if (!planned.ok) {
        if (isNew) await rm(options.to, { force: true });
        process.stdout.write(
          options.json
            ? `${JSON.stringify({ ok: false, why: planned.why })}\n`
            : `${restoreRefusalText(planned.why)}\n`,
        );
        return 1;
      }
      const { plan } = planned;
      const result = await restoreDisk({
        image,
        device,
        plan,
        onProgress: ({ phase, doneBlocks, blocks }) =>
          progress(phase === "write" ? "written" : "read back", doneBlocks / Math.max(1, blocks)),
      });
      if (result.state !== "restored") {
        const where =
          "start" in result
            ? ` at byte ${result.start}`
            : "offset" in result && result.offset !== null
              ? ` at byte ${result.offset}`
              : "";
        throw new UsageError(
          `${visible(options.to)}: it could not be written and read back (${result.state}${where}); it holds neither what it held nor the image`,
        );
      }
      if (options.json)
        process.stdout.write(`${JSON.stringify({ ok: true, ...result, freeAtEndBytes: plan.freeAtEndBytes })}\n`);
      else process.stdout.write(`${bytesText(result.writtenBytes)} written and read back.\n`);
      return 0;
    } finally {
      await device.close();
    }
  });
}

/** Whether a new file was made, as large as the image's disk or as was said. */
async function createdFile({ to, size }: RestoreImageOptions, diskBytes: number): Promise<boolean> {
  const wanted = size === undefined ? diskBytes : parseSize(size);
  if (wanted === null || wanted < 512)
    throw new UsageError(`--size ${visible(size ?? "")}: a size such as 256GB is needed`);
  const isThere = await stat(to).then(
    () => true,
    () => false,
  );
  if (isThere) {
    if (size !== undefined) throw new UsageError(`${visible(to)}: it is there already, and has a size of its own`);
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

/** Opens an image, and those that it goes on from, which are looked for in the same folder. */
function withImage<T>(file: string, use: (image: ImageReader) => Promise<T>): Promise<T> {
  return withFile(file, async (source) => {
    const others: FileSource[] = [];
    const byId = new Map<string, string>();
    let isLooked = false;
    const before = async (id: string) => {
      if (!isLooked) for (const path of await imagesBeside(file)) byId.set((await idOf(path)) ?? "", path);
      isLooked = true;
      const path = byId.get(id);
      if (path === undefined) return null;
      const other = await FileSource.open(path, { waits: true });
      others.push(other);
      return other;
    };
    const packer = new BlockPacker();
    try {
      const result = await ImageReader.open(source, before, packer.unpack);
      if (!result.ok) throw new UsageError(`${visible(file)}: ${imageFaultText(result.fault)}`);
      return await use(result.image);
    } finally {
      await packer.close();
      await Promise.all(others.map((other) => other.close()));
    }
  });
}

async function imagesBeside(file: string): Promise<string[]> {
  const folder = dirname(resolve(file));
  const names = await readdir(folder);
  return names.filter((name) => name.endsWith(ENDING)).map((name) => join(folder, name));
}

async function idOf(path: string): Promise<string | null> {
  const source = await FileSource.open(path).catch(() => null);
  if (!source) return null;
  try {
    return decodeHeader(await source.read(0, HEADER_BYTES))?.id ?? null;
  } catch (error) {
    if (error instanceof ReadFailed) return null;
    throw error;
  } finally {
    await source.close();
  }
}

/** A new file; it has its name only once it is whole. */
class FileSink {
  private isDone = false;
  private constructor(
    private readonly handle: FileHandle,
    private readonly path: string,
  ) {}

  static async create(path: string): Promise<FileSink> {
    const isThere = await stat(path).then(
      () => true,
      () => false,
    );
    if (isThere) throw new UsageError(`${visible(path)}: it is there already`);
    return new FileSink(await opened(path, () => open(partOf(path), "w")), path);
  }

  async write(bytes: Uint8Array): Promise<void> {
    await opened(this.path, async () => {
      for (let done = 0; done < bytes.length; )
        done += (await this.handle.write(bytes, done, bytes.length - done)).bytesWritten;
    });
  }

  async finish(): Promise<void> {
    await this.handle.sync();
    await rename(partOf(this.path), this.path);
    this.isDone = true;
  }

  /** Closes it; what was not finished is taken away. */
  async abandon(): Promise<void> {
    await this.handle.close();
    if (!this.isDone) await rm(partOf(this.path), { force: true });
  }
}

const partOf = (path: string) => `${path}.part`;

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
