import { type FileHandle, open, readdir, rename, rm } from "node:fs/promises";
import { dirname, join, resolve } from "node:path";
import { decodeHeader, HEADER_BYTES } from "@/core/imaging/form";
import { type ImageFault, ImageReader } from "@/core/imaging/reading";
import { ReadFailed } from "@/core/kernel/source";
import { BlockPacker } from "./block-packer";
import { FileSource } from "./file-source";

/** As images of disks are called. */
export const IMAGE_ENDING = ".creel-image";

/** The file is none, or is not whole, or lacks the image before it. */
export class ImageNotOpened extends Error {
  override readonly name = "ImageNotOpened";
  constructor(readonly fault: ImageFault) {
    super(fault.code);
  }
}

/**
 * Opens an image for `use`, and those that it goes on from, which are looked for in the same folder. Throws
 * `ImageNotOpened`, or what the operating system says of the file.
 */
export async function withDiskImage<T>(path: string, use: (image: ImageReader) => Promise<T>): Promise<T> {
  const opened: FileSource[] = [];
  const openFile = async (file: string) => {
    const source = await FileSource.open(file);
    opened.push(source);
    return source;
  };
  let beside: Map<string, string> | null = null;
  const before = async (id: string) => {
    beside ??= await imagesBeside(path);
    const file = beside.get(id);
    return file === undefined ? null : openFile(file);
  };
  const packer = new BlockPacker();
  try {
    const result = await ImageReader.open(await openFile(path), before, packer.unpack);
    if (!result.ok) throw new ImageNotOpened(result.fault);
    return await use(result.reader);
  } finally {
    await packer.close();
    await Promise.all(opened.map((source) => source.close()));
  }
}

/** The images in the folder of a file, by their ids. */
async function imagesBeside(path: string): Promise<Map<string, string>> {
  const folder = dirname(resolve(path));
  const found = new Map<string, string>();
  for (const name of await imageNamesIn(folder)) {
    const id = await idOf(join(folder, name));
    if (id !== null) found.set(id, join(folder, name));
  }
  return found;
}

export async function imageNamesIn(folder: string): Promise<string[]> {
  return (await readdir(folder)).filter((name) => name.endsWith(IMAGE_ENDING)).sort();
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

/** A new file that has its name only once it is whole. Throws what the operating system says. */
export class NewFile {
  private isWhole = false;
  private constructor(
    private readonly handle: FileHandle,
    private readonly path: string,
  ) {}

  static async create(path: string): Promise<NewFile> {
    return new NewFile(await open(`${path}.part`, "w"), path);
  }

  /** Where it is until it is whole. */
  get part(): string {
    return `${this.path}.part`;
  }

  async write(bytes: Uint8Array): Promise<void> {
    for (let done = 0; done < bytes.length; )
      done += (await this.handle.write(bytes, done, bytes.length - done)).bytesWritten;
  }

  /** Returns once all of it is on the disk. */
  sync(): Promise<void> {
    return this.handle.sync();
  }

  async finish(): Promise<void> {
    await this.sync();
    await rename(this.part, this.path);
    this.isWhole = true;
  }

  /** Closes it; what is not whole is taken away. */
  async close(): Promise<void> {
    await this.handle.close();
    if (!this.isWhole) await rm(this.part, { force: true });
  }
}
