import { type FileHandle, open } from "node:fs/promises";
import { isZero } from "@/core/kernel/fields";
import { type Device, DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";

/**
 * A new file in the place of a device, to be put on one later. It is as large as was asked for; what is zero stays a hole.
 * Throws what the operating system says: `EEXIST` where the file is there already.
 */
export async function openImageFile(path: string, bytes: number): Promise<Device> {
  const handle = await open(path, "wx+");
  try {
    await handle.truncate(bytes);
  } catch (error) {
    await handle.close();
    throw error;
  }
  return new ImageFile(handle, { kind: "usb", model: path, serial: null, bytes, sectorBytes: 512 });
}

class ImageFile implements Device {
  readonly sizeBytes: number;
  constructor(
    private readonly handle: FileHandle,
    readonly identity: DeviceIdentity,
  ) {
    this.sizeBytes = identity.bytes;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(Math.max(0, Math.min(length, this.sizeBytes - offset)));
    const { bytesRead } = await this.handle.read(out, 0, out.length, offset).catch((cause: unknown) => {
      throw new DeviceFault("read-failed", offset, { cause });
    });
    return out.subarray(0, bytesRead);
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (isZero(bytes)) return;
    await this.handle.write(bytes, 0, bytes.length, offset).catch((cause: unknown) => {
      throw new DeviceFault("write-failed", offset, { cause });
    });
  }

  async flush(): Promise<void> {
    await this.handle.datasync();
  }

  async close(): Promise<void> {
    await this.handle.close();
  }
}
