import { createHash } from "node:crypto";
import { readSync } from "node:fs";
import { type FileHandle, open, readFile, realpath, stat } from "node:fs/promises";
import { basename, dirname, join } from "node:path";
import { type ByteSource, ReadFailed } from "@/core/kernel/source";
import { FILE_ERRORS, type FileFault } from "@/core/problems/problem";

/** A file or block device on this machine, read by range. Close it when done. */
export class FileSource implements ByteSource {
  private constructor(
    private readonly handle: FileHandle,
    readonly sizeBytes: number,
    readonly path: string,
    private readonly waits: boolean,
  ) {}

  /**
   * Throws what the operating system says (`ENOENT`, `EACCES`, `EISDIR` …). `waits`: reads stop the whole process,
   * which makes many small ones several times faster and is right where nobody else is served.
   */
  static async open(path: string, { waits = false } = {}): Promise<FileSource> {
    const handle = await open(path, "r");
    try {
      const stat = await handle.stat();
      if (stat.isDirectory()) throw Object.assign(new Error("is a directory"), { code: "EISDIR" });
      const sizeBytes = stat.isBlockDevice() ? await deviceBytes(path) : stat.size;
      return new FileSource(handle, sizeBytes, path, waits);
    } catch (error) {
      await handle.close();
      throw error;
    }
  }

  /** Opens all of them, or none where one cannot be opened. */
  static async openAll(paths: readonly string[]): Promise<FileSource[]> {
    const opened: FileSource[] = [];
    try {
      for (const path of paths) opened.push(await FileSource.open(path));
      return opened;
    } catch (error) {
      await Promise.all(opened.map((source) => source.close()));
      throw error;
    }
  }

  get name(): string {
    return basename(this.path);
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const wanted = Math.min(length, this.sizeBytes - offset);
    if (!(offset >= 0) || !(wanted > 0)) return new Uint8Array(0);
    const buffer = new Uint8Array(wanted);
    return buffer.subarray(0, await this.readInto(offset, buffer));
  }

  async readInto(offset: number, buffer: Uint8Array): Promise<number> {
    const wanted = Math.min(buffer.length, this.sizeBytes - offset);
    if (!(offset >= 0) || !(wanted > 0)) return 0;
    let filled = 0;
    try {
      while (filled < wanted) {
        const bytesRead = this.waits
          ? readSync(this.handle.fd, buffer, filled, wanted - filled, offset + filled)
          : (await this.handle.read(buffer, filled, wanted - filled, offset + filled)).bytesRead;
        if (bytesRead === 0) break;
        filled += bytesRead;
      }
    } catch (cause) {
      throw new ReadFailed(offset, wanted, { cause });
    }
    return filled;
  }

  /** SHA-256 of the whole, lower-case hex. */
  async sha256(): Promise<string> {
    const hash = createHash("sha256");
    const step = 4 << 20;
    for (let at = 0; at < this.sizeBytes; at += step) hash.update(await this.read(at, step));
    return hash.digest("hex");
  }

  close(): Promise<void> {
    return this.handle.close();
  }
}

/** The size that the kernel gives a block device, in bytes: sysfs counts in 512-byte sectors. */
async function deviceBytes(path: string): Promise<number> {
  const sectors = Number(await readFile(`/sys/class/block/${basename(await realpath(path))}/size`, "utf8"));
  return Number.isSafeInteger(sectors) ? sectors * 512 : 0;
}

/** The sectors of a block device, in bytes, as its kernel has them (sysfs-block, `logical_block_size`); null of a file. */
export async function deviceSectorBytes(path: string): Promise<512 | 4096 | null> {
  const own = await realpath(`/sys/class/block/${basename(await realpath(path).catch(() => path))}`).catch(() => null);
  if (own === null) return null;
  // A partition has none of its own: those of the disk that it is on.
  for (const folder of [own, dirname(own)]) {
    const told = Number(await readFile(join(folder, "queue", "logical_block_size"), "utf8").catch(() => null));
    if (told > 0) return told === 4096 ? 4096 : 512;
  }
  return null;
}

/** Whether a file or folder lies on a block device of this machine, or on one of its partitions. */
export async function isOnDevice(path: string, device: string): Promise<boolean> {
  const own = await realpath(`/sys/class/block/${basename(await realpath(device).catch(() => device))}`).catch(
    () => null,
  );
  if (own === null) return false;
  const { dev } = await stat(path);
  // The number of a device as stat(2) gives it: makedev(3).
  const [major, minor] = [(dev >> 8) & 0xfff, (dev & 0xff) | ((dev >> 12) & 0xfff00)];
  const under = await realpath(`/sys/dev/block/${major}:${minor}`).catch(() => null);
  return under !== null && (under === own || under.startsWith(`${own}/`));
}

/** What went wrong with a file. */
export function fileFault(error: unknown): FileFault {
  const code =
    error instanceof ReadFailed
      ? (error.cause as { code?: string } | undefined)?.code
      : (error as { code?: string } | null)?.code;
  const known = FILE_ERRORS.find((each) => each === code);
  return known ? { code: known } : { code: "other", told: error instanceof Error ? error.message : String(error) };
}
