import { readdir, statfs } from "node:fs/promises";
import { join } from "node:path";
import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { recogniseVolume } from "@/core/formats/recognise";
import type { ByteSource } from "@/core/kernel/source";
import { type PackHead, sheetPath } from "@/core/making/pack/pack";
import { type Pack, readPack } from "@/core/making/pack/pack-read";
import { FileSource } from "@/server/host/file-source";
import { type Disk, type Machine, mountPoint } from "./machine";
import { textOf, tool } from "./shell";

export interface Store {
  folder: string;
  device: string;
  /** The disk that it is on: nothing of that disk is saved onto it. */
  disk: string;
  filesystem: string;
  /** A file is no larger there; null where that is no limit. */
  fileMaxBytes: number | null;
}

export interface Medium {
  pack: Pack | null;
  /** Where its pack lies. */
  folder: string | null;
  head: PackHead | null;
  store: Store | null;
}

/** File systems that a store may have, as they are mounted; in this order where a medium has several. */
const STORES = ["exfat", "ext4", "ext3", "ext2", "ntfs", "fat32"] as const;
const FAT_FILE_MAX_BYTES = 2 ** 32 - 1;
/** Room below which a partition is none to save into: that of start files. */
const STORE_MIN_BYTES = 256 << 20;

interface Partition {
  device: string;
  disk: string;
  filesystem: string | null;
}

async function partitionsOf(disks: readonly Disk[]): Promise<Partition[]> {
  const partitions: Partition[] = [];
  for (const disk of disks.filter((each) => each.removable || each.name.startsWith("mmc") || isUsb(each))) {
    const names = await readdir(`/sys/block/${disk.name}`);
    const own = names.filter((name) => name.startsWith(disk.name));
    for (const name of own.length > 0 ? own : [disk.name])
      partitions.push({ device: `/dev/${name}`, disk: disk.path, filesystem: await filesystemOf(`/dev/${name}`) });
  }
  for (const name of (await readdir("/sys/block")).filter((each) => each.startsWith("sr")))
    partitions.push({ device: `/dev/${name}`, disk: `/dev/${name}`, filesystem: "iso9660" });
  return partitions;
}

/** Sticks often do not say that they can be taken out. */
const isUsb = (disk: Disk) => usbDisks.has(disk.name);
const usbDisks = new Set<string>();

/** Which of the disks are on USB, by where the system has them. */
async function noteUsb(disks: readonly Disk[]): Promise<void> {
  for (const { name } of disks) {
    const place = await tool("readlink", ["-f", `/sys/block/${name}`]);
    if (place?.includes("/usb")) usbDisks.add(name);
  }
}

async function filesystemOf(device: string): Promise<string | null> {
  const source = await FileSource.open(device).catch(() => null);
  if (!source) return null;
  try {
    return (await recogniseVolume(source)).kind;
  } catch {
    return null;
  } finally {
    await source.close();
  }
}

async function mount(partition: Partition, isWritten: boolean): Promise<string | null> {
  const folder = await mountPoint(partition.device.slice("/dev/".length));
  const { filesystem, device } = partition;
  if ((await textOf("/proc/mounts"))?.includes(`${device} ${folder} `)) return folder;
  const how = isWritten ? "rw" : "ro";
  if (filesystem === "ntfs") return (await tool("ntfs-3g", ["-o", how, device, folder])) === null ? null : folder;
  const type = filesystem?.startsWith("fat") ? "vfat" : filesystem;
  return type && (await tool("mount", ["-t", type, "-o", how, device, folder])) !== null ? folder : null;
}

/** Looks for what Creel made among what is plugged in: records and sheets, and a store to write into. */
export async function findMedium(disks: readonly Disk[]): Promise<Medium> {
  await noteUsb(disks);
  const partitions = await partitionsOf(disks);
  const medium: Medium = { pack: null, folder: null, head: null, store: null };
  for (const partition of partitions) {
    const folder = await mount(partition, false);
    if (!folder || medium.pack) continue;
    const reading = await readPack((path) => openIn(folder, path)).catch(() => null);
    if (!reading?.ok) continue;
    medium.pack = reading.pack;
    medium.head = reading.pack.head;
    medium.folder = folder;
  }
  const kinds = STORES as readonly (string | null)[];
  const writable = partitions
    .filter(({ filesystem }) => kinds.includes(filesystem))
    .sort((a, b) => kinds.indexOf(a.filesystem) - kinds.indexOf(b.filesystem));
  for (const partition of writable) {
    if (medium.store) break;
    const folder = await mountPoint(partition.device.slice("/dev/".length));
    await tool("umount", [folder]);
    const mounted = await mount(partition, true);
    if (!mounted) continue;
    if ((await freeBytes(mounted)) < STORE_MIN_BYTES) continue;
    const filesystem = partition.filesystem ?? "";
    medium.store = {
      ...{ folder: mounted, device: partition.device, disk: partition.disk, filesystem },
      fileMaxBytes: filesystem.startsWith("fat") ? FAT_FILE_MAX_BYTES : null,
    };
  }
  return medium;
}

export async function freeBytes(folder: string): Promise<number> {
  const { bavail, bsize } = await statfs(folder);
  return bavail * bsize;
}

async function openIn(folder: string, path: string): Promise<ByteSource | null> {
  return FileSource.open(join(folder, path)).catch(() => null);
}

/** Which of the computers in the records this one is: by its board's number, else by maker's serial. */
export function recordOf(machine: Machine, pack: Pack | null): ComputerRecord | null {
  const same = (one: string | null, other: string | null | undefined) =>
    one !== null && other != null && one.toLowerCase() === other.toLowerCase();
  const records = pack?.computers.map(({ record }) => record) ?? [];
  return (
    records.find(({ facts }) => same(machine.uuid, facts.computer.uuid)) ??
    records.find(({ facts }) => same(machine.serial, facts.computer.serial)) ??
    null
  );
}

/** The run sheet of a computer as lines of text; null where the medium has none. */
export async function sheetOf(medium: Medium, tag: string): Promise<string[] | null> {
  if (!medium.folder) return null;
  const html = await textOf(join(medium.folder, sheetPath(tag)));
  return html === null ? null : plainLines(html);
}

/** A page's text, a line for each of its blocks. */
export function plainLines(html: string): string[] {
  const body = html.replace(/<(style|script|title)[\s\S]*?<\/\1>/g, "");
  const blocks = body.replace(/<\/?(p|h\d|li|tr|div|section|table|ol|ul|header|dt|dd|br)[^>]*>/g, "\n");
  const text = blocks.replace(/<[^>]+>/g, " ");
  const plain = text.replace(/&(amp|lt|gt|quot|#39|nbsp);/g, (_, name: string) => ENTITIES[name] ?? "");
  return plain.split("\n").flatMap((line) => line.replace(/\s+/g, " ").trim() || []);
}

const ENTITIES: Record<string, string> = { amp: "&", lt: "<", gt: ">", quot: '"', "#39": "'", nbsp: " " };
