import { constants } from "node:fs";
import { type FileHandle, open } from "node:fs/promises";
import { type Device, DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";
import { deviceSectorBytes, FileSource } from "./file-source";

/**
 * A disk of this machine, or a file in its place, to be written whole. Where it is a device, nobody else may have it in
 * use: the system refuses to open it otherwise. Throws what the operating system says.
 */
export async function openDisk(path: string, sectorBytes: number | null = null): Promise<Device> {
  const source = await FileSource.open(path);
  const bytes = source.sizeBytes;
  await source.close();
  const ofDevice = await deviceSectorBytes(path);
  // O_EXCL without O_CREAT: a block device that is mounted, or part of a group of disks, is refused (open(2)).
  const handle = await open(path, constants.O_RDWR | (ofDevice === null ? 0 : constants.O_EXCL));
  const sectors = ofDevice ?? (sectorBytes === 4096 ? 4096 : 512);
  return new Disk(handle, { kind: "disk", model: path, serial: null, bytes, sectorBytes: sectors });
}

class Disk implements Device {
  readonly sizeBytes: number;
  constructor(
    private readonly handle: FileHandle,
    readonly identity: DeviceIdentity,
  ) {
    this.sizeBytes = identity.bytes;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
    let filled = 0;
    while (filled < out.length) {
      const { bytesRead } = await this.attempt("read-failed", offset + filled, () =>
        this.handle.read(out, filled, out.length - filled, offset + filled),
      );
      if (bytesRead === 0) break;
      filled += bytesRead;
    }
    return out.subarray(0, filled);
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (offset + bytes.length > this.sizeBytes) throw new DeviceFault("write-failed", this.sizeBytes);
    for (let done = 0; done < bytes.length; ) {
      const { bytesWritten } = await this.attempt("write-failed", offset + done, () =>
        this.handle.write(bytes, done, bytes.length - done, offset + done),
      );
      if (bytesWritten === 0) throw new DeviceFault("write-failed", offset + done);
      done += bytesWritten;
    }
  }

  async flush(): Promise<void> {
    await this.attempt("write-failed", null, () => this.handle.sync());
  }

  async close(): Promise<void> {
    await this.handle.close();
  }

  private async attempt<T>(
    code: "read-failed" | "write-failed",
    offset: number | null,
    act: () => Promise<T>,
  ): Promise<T> {
    try {
      return await act();
    } catch (cause) {
      throw new DeviceFault(code, offset, { cause });
    }
  }
}
