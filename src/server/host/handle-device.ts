import { spawn } from "node:child_process";
import { constants } from "node:fs";
import { type FileHandle, open } from "node:fs/promises";
import { type Device, DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";
import { deviceSectorBytes, FileSource } from "./file-source";

/** What is left to a program of the host: that what is read next comes from the device, not from memory. */
export type FlushCaches = (node: string) => Promise<void>;

/** util-linux: `blockdev --flushbufs` (BLKFLSBUF). */
export const flushBuffers: FlushCaches = (node) =>
  new Promise((resolve, reject) => {
    const child = spawn("blockdev", ["--flushbufs", node], { stdio: "ignore" });
    child.once("error", reject);
    child.once("exit", (code) => (code === 0 ? resolve() : reject(new Error(`blockdev ended with ${code}`))));
  });

/** What the operating system says of a device, errno(3); null where it says nothing of the device. */
export function deviceFaultOf(error: unknown): DeviceFault["code"] | null {
  switch (error instanceof Error && "code" in error ? error.code : null) {
    case "ENODEV":
    case "ENXIO":
    case "ENOENT":
    case "ENOMEDIUM":
      return "gone";
    case "EBUSY":
      return "in-use";
    case "EROFS":
    case "EPERM":
      return "write-protected";
    default:
      return null;
  }
}

/** A device, or a file in its place, by its open handle. `afterSync` comes after everything is on it. */
export class HandleDevice implements Device {
  readonly sizeBytes: number;
  constructor(
    private readonly handle: FileHandle,
    readonly identity: DeviceIdentity,
    private readonly afterSync: () => Promise<void> = async () => {},
  ) {
    this.sizeBytes = identity.bytes;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
    return out.subarray(0, await this.readInto(offset, out));
  }

  async readInto(offset: number, target: Uint8Array): Promise<number> {
    const out = target.subarray(0, Math.max(0, Math.min(target.length, this.sizeBytes - offset)));
    let filled = 0;
    while (filled < out.length) {
      const { bytesRead } = await this.handle
        .read(out, filled, out.length - filled, offset + filled)
        .catch((cause: unknown) => {
          throw new DeviceFault(deviceFaultOf(cause) ?? "read-failed", offset + filled, { cause });
        });
      if (bytesRead === 0) break;
      filled += bytesRead;
    }
    return filled;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    for (let done = 0; done < bytes.length; ) {
      const { bytesWritten } = await this.handle
        .write(bytes, done, bytes.length - done, offset + done)
        .catch((cause: unknown) => {
          throw new DeviceFault(deviceFaultOf(cause) ?? "write-failed", offset + done, { cause });
        });
      if (bytesWritten === 0) throw new DeviceFault("write-failed", offset + done);
      done += bytesWritten;
    }
  }

  async flush(): Promise<void> {
    try {
      await this.handle.sync();
      await this.afterSync();
    } catch (cause) {
      throw new DeviceFault(deviceFaultOf(cause) ?? "write-failed", null, { cause });
    }
  }

  async close(): Promise<void> {
    await this.handle.close();
  }
}

/**
 * A disk of this machine, or a file in its place, to be written whole. Where it is a device, nobody else may have it in
 * use: the system refuses to open it otherwise. `sectorBytes`: of a file. Throws what the operating system says.
 */
export async function openDisk(path: string, sectorBytes: number): Promise<Device> {
  const source = await FileSource.open(path);
  const bytes = source.sizeBytes;
  await source.close();
  const ofDevice = await deviceSectorBytes(path);
  // open(2): a block device that is opened with O_EXCL is not in use by the system, and not mounted while it is open.
  const handle = await open(path, constants.O_RDWR | (ofDevice === null ? 0 : constants.O_EXCL));
  const identity: DeviceIdentity = {
    ...{ kind: "disk", model: path, serial: null, bytes },
    sectorBytes: ofDevice ?? (sectorBytes === 4096 ? 4096 : 512),
  };
  return new HandleDevice(handle, identity, ofDevice === null ? undefined : () => flushBuffers(path));
}
