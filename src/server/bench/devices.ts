import { stat } from "node:fs/promises";
import { join } from "node:path";
import { LRUCache } from "lru-cache";
import { type Device, DeviceFault } from "@/core/making/writing/device";
import type { devices } from "../db/schema";
import { openBlockDevice, usesBlockDevices } from "../devices/block-devices";
import { type DeviceShape, identityOfRow, type Look, lookWith } from "../devices/device";
import { contentPath, openSimulated } from "../devices/simulated";
import { devicesFolder } from "../host/folders";

export type DeviceRow = typeof devices.$inferSelect;

/** The kind of medium that a device makes: a card is used as a stick is. */
export function mediumKindOf({ kind }: Pick<DeviceShape, "kind">): "usb" | "disk" | "optical" {
  return kind === "card" ? "usb" : kind;
}

/** Opens what a row stands for. Throws `DeviceFault`. */
export async function openDevice(row: DeviceRow, access: { write: boolean }): Promise<Device> {
  if (row.simulatedAs !== null) return openSimulated(join(devicesFolder(), row.simulatedAs), access);
  if (row.port === null || !usesBlockDevices()) throw new DeviceFault("gone");
  return openBlockDevice(row.port, identityOfRow(row), access);
}

const looks = new LRUCache<string, Promise<Look>>({ max: 200 });

/** Looks at a device of this server's; what was seen is kept until its content is written to. */
export async function lookHere(row: DeviceRow): Promise<Look> {
  const state = row.simulatedAs && (await stat(contentPath(join(devicesFolder(), row.simulatedAs))).catch(() => null));
  const key = state ? `${row.id} ${state.mtimeMs} ${state.size}` : null;
  const keptLook = key === null ? undefined : looks.get(key);
  if (keptLook) return keptLook;
  const look = lookWith(() => openDevice(row, { write: false }), row);
  if (key !== null) looks.set(key, look);
  return look;
}
