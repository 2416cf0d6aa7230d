import { utf16 } from "../kernel/fields";
import type { ByteSource } from "../kernel/source";
import { Hive, type HiveKey } from "./hive";

/**
 * Stores of boot entries, which are hives (Microsoft, "BCD reference": well-known objects, and the numbers of elements in
 * BcdBootMgrElementTypes, BcdLibraryElementTypes, BcdOSLoaderElementTypes and BcdDeviceObjectElementTypes).
 */
const BOOT_MANAGER = "{9dea862c-5cdd-4e70-acc1-f32b344d4795}";
const ELEMENT = {
  ...{ default: "23000003", order: "24000001", timeout: "25000004" },
  ...{ device: "11000001", path: "12000002", description: "12000004", ramdiskOptions: "31000001" },
  sdiPath: "32000004",
};
const ENTRIES_MAX = 100;

interface BootEntry {
  id: string;
  description: string | null;
  /** The program that it starts, from the root of its device: `\windows\system32\boot\winload.efi`. */
  path: string | null;
  /** The archive that is unpacked into memory; null where it starts from a disk. */
  archive: string | null;
  /** The image that the archive's disk in memory is made of. */
  sdi: string | null;
}

export interface BootStore {
  entries: BootEntry[];
  /** The id of the one that starts where nobody touches a key. */
  defaultId: string | null;
  /** Seconds; null: not told. */
  timeoutSeconds: number | null;
}

/** Null where it is no store, or damaged at its root. */
export async function readBootStore(file: ByteSource): Promise<BootStore | null> {
  const hive = await Hive.open(file);
  const objects = hive?.key("Objects");
  const manager = objects?.key(BOOT_MANAGER);
  if (!objects || !manager) return null;
  const ids = elementOf(manager, ELEMENT.order)?.texts("Element") ?? [];
  const told = elementOf(manager, ELEMENT.default)?.text("Element") ?? null;
  const entries: BootEntry[] = [];
  for (const id of [...new Set([...(told ? [told] : []), ...ids])].slice(0, ENTRIES_MAX)) {
    const object = objects.key(id);
    if (object) entries.push(entryOf(objects, object, id));
  }
  const timeout = elementOf(manager, ELEMENT.timeout)?.value("Element")?.bytes;
  return {
    entries,
    defaultId: told ?? ids[0] ?? null,
    timeoutSeconds: timeout && timeout.length >= 4 ? (timeout[0] ?? 0) | ((timeout[1] ?? 0) << 8) : null,
  };
}

function entryOf(objects: HiveKey, object: HiveKey, id: string): BootEntry {
  const device = elementOf(object, ELEMENT.device)?.value("Element")?.bytes ?? null;
  const archive = device && pathIn(device, /\.(wim|esd)$/i);
  // Options of the disk in memory are an object of their own, which the device names; there is one in practice.
  const options = device && [...objects.keys()].find((each) => elementOf(each, ELEMENT.sdiPath) !== null);
  return {
    id,
    description: elementOf(object, ELEMENT.description)?.text("Element") ?? null,
    path: elementOf(object, ELEMENT.path)?.text("Element") ?? null,
    archive,
    sdi: archive && options ? (elementOf(options, ELEMENT.sdiPath)?.text("Element") ?? null) : null,
  };
}

function elementOf(object: HiveKey, number: string): HiveKey | null {
  return object.key("Elements")?.key(number) ?? null;
}

/** A path that stands as text somewhere in a device's description, which is published nowhere. */
function pathIn(bytes: Uint8Array, ending: RegExp): string | null {
  for (let at = 0; at + 4 <= bytes.length; at++) {
    if (bytes[at] !== 0x5c || bytes[at + 1] !== 0) continue;
    let end = at;
    while (end + 1 < bytes.length && ((bytes[end] as number) | (bytes[end + 1] as number)) !== 0) end += 2;
    const path = utf16(bytes.subarray(at, end));
    if (ending.test(path)) return path;
  }
  return null;
}
