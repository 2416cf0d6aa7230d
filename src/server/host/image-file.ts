import { open } from "node:fs/promises";
import { isZero } from "@/core/kernel/fields";
import type { Device } from "@/core/making/writing/device";
import { HandleDevice } from "./handle-device";

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

class ImageFile extends HandleDevice {
  override async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (!isZero(bytes)) await super.write(offset, bytes);
  }
}
