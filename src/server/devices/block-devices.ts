import { constants } from "node:fs";
import { open, readdir, readFile, readlink, realpath } from "node:fs/promises";
import { basename, dirname, join } from "node:path";
import { type Device, DeviceFault, type DeviceIdentity } from "@/core/making/writing/device";
import { deviceFaultOf, type FlushCaches, flushBuffers, HandleDevice } from "@/server/host/handle-device";

/** Where Linux tells of its devices; another folder in the tests. */
export interface HostTree {
  sys: string;
  proc: string;
  dev: string;
}

const HOST: HostTree = { sys: "/sys", proc: "/proc", dev: "/dev" };

/** A device of this machine that may be used on the bench. */
export interface BlockDevice {
  /** Of its node, such as `sdb`; another one after it was put in again. */
  name: string;
  /** Of the port that it is in: the same for whatever is put there. */
  port: string;
  identity: DeviceIdentity;
}

/** Real devices are used only where this server was told to. */
export function usesBlockDevices(): boolean {
  return process.env.CREEL_BLOCK_DEVICES === "1";
}

/**
 * Devices that can be taken out, and that nothing uses: not mounted, not swapped to, part of nothing (RAID, LVM, dm-crypt),
 * and none of them holds the running system. Of a medium reader only slots with something in them. Linux's sysfs,
 * Documentation/ABI/stable/sysfs-block: `removable`, `size` (in sectors of 512 bytes), `holders`, `ro`.
 */
export async function findBlockDevices(host: HostTree = HOST): Promise<BlockDevice[]> {
  const names = await readdir(join(host.sys, "block")).catch(() => [] as string[]);
  const used = await numbersInUse(host);
  const found: BlockDevice[] = [];
  for (const name of names.sort()) {
    const device = await removableDevice(host, name);
    if (device && !(await isUsed(host, name, used))) found.push(device);
  }
  return found;
}

async function removableDevice(host: HostTree, name: string): Promise<BlockDevice | null> {
  const folder = join(host.sys, "block", name);
  const isCard = /^mmcblk\d+$/.test(name);
  if (!isCard && !/^sd[a-z]+$/.test(name)) return null;
  if ((await text(join(folder, "removable"))) !== "1" && !isCard) return null;
  const bytes = Number(await text(join(folder, "size"))) * 512;
  const sectorBytes = Number(await text(join(folder, "queue", "logical_block_size")));
  if (!Number.isSafeInteger(bytes) || bytes <= 0) return null;
  if (sectorBytes !== 512 && sectorBytes !== 4096) return null;
  const path = await realpath(join(folder, "device")).catch(() => null);
  if (path === null) return null;
  // A card that is soldered in says so: it is the machine's own disk.
  if (isCard && (await text(join(path, "type"))) !== "SD") return null;
  const usb = await usbAbove(path, host.sys);
  const model = isCard
    ? ((await text(join(path, "name"))) ?? "Card")
    : [await text(join(path, "vendor")), await text(join(path, "model"))].filter(Boolean).join(" ");
  const serial = (await text(join(isCard ? path : (usb ?? path), "serial"))) || null;
  return {
    name,
    port: usb ? `USB ${basename(usb)}` : `slot ${name}`,
    identity: { kind: isCard ? "card" : "usb", model: model || "Device without a name", serial, bytes, sectorBytes },
  };
}

/** The USB device that a disk belongs to: the first folder above it with a vendor's number in it. */
async function usbAbove(path: string, sys: string): Promise<string | null> {
  for (let folder = path; folder.length > sys.length && folder !== dirname(folder); folder = dirname(folder))
    if ((await text(join(folder, "idVendor"))) !== null) return folder;
  return null;
}

/** Numbers (`major:minor`) of what is mounted or swapped to, by whoever runs this server. */
async function numbersInUse({ proc, dev, sys }: HostTree): Promise<Set<string>> {
  const used = new Set<string>();
  // proc(5): the third field of a line of mountinfo is the device's number.
  for (const line of ((await text(join(proc, "self", "mountinfo"))) ?? "").split("\n")) {
    const [, , number] = line.split(" ");
    if (number) used.add(number);
  }
  for (const line of ((await text(join(proc, "swaps"))) ?? "").split("\n").slice(1)) {
    const [node] = line.split(/\s+/);
    if (!node?.startsWith("/dev/")) continue;
    const name = basename(await readlink(join(dev, node.slice(5))).catch(() => node));
    const number = await text(join(sys, "class", "block", name, "dev"));
    if (number) used.add(number);
  }
  return used;
}

/** Whether a device or a partition of it is in use, or part of something else. */
async function isUsed({ sys }: HostTree, name: string, used: Set<string>): Promise<boolean> {
  const deviceFolder = join(sys, "block", name);
  const entries = await readdir(deviceFolder).catch(() => [] as string[]);
  const partitions = entries.filter((entry) => entry.startsWith(name));
  for (const folder of [deviceFolder, ...partitions.map((entry) => join(deviceFolder, entry))]) {
    const number = await text(join(folder, "dev"));
    if (number !== null && used.has(number)) return true;
    const holders = await readdir(join(folder, "holders")).catch(() => [] as string[]);
    if (holders.length > 0) return true;
  }
  return false;
}

async function text(path: string): Promise<string | null> {
  return readFile(path, "utf8").then(
    (content) => content.trim(),
    () => null,
  );
}

/**
 * Opens the device in a port, as long as it is the one that is meant and may be used. Throws `DeviceFault`: `gone` where
 * another one or none is there, `in-use` where it was mounted meanwhile.
 */
export async function openBlockDevice(
  port: string,
  identity: DeviceIdentity,
  { write, host = HOST, flushCaches = flushBuffers }: { write: boolean; host?: HostTree; flushCaches?: FlushCaches },
): Promise<Device> {
  const found = (await findBlockDevices(host)).find((each) => each.port === port);
  const isMeant =
    found && (["model", "serial", "bytes"] as const).every((key) => found.identity[key] === identity[key]);
  if (!isMeant) throw new DeviceFault((await isMounted(port, host)) ? "in-use" : "gone");
  if (write && (await text(join(host.sys, "block", found.name, "ro"))) === "1")
    throw new DeviceFault("write-protected");
  const node = join(host.dev, found.name);
  // open(2): a block device that is opened with O_EXCL is not in use by the system, and not mounted while it is open.
  const flags = write ? constants.O_RDWR | constants.O_EXCL : constants.O_RDONLY;
  const handle = await open(node, flags).catch((cause: unknown) => {
    throw new DeviceFault(deviceFaultOf(cause) ?? "gone", null, { cause });
  });
  return new HandleDevice(handle, found.identity, () => flushCaches(node));
}

/** Whether in a port is something that is in use. */
async function isMounted(port: string, host: HostTree): Promise<boolean> {
  for (const name of await readdir(join(host.sys, "block")).catch(() => [] as string[]))
    if ((await removableDevice(host, name))?.port === port) return true;
  return false;
}
