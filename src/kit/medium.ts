import { existsSync } from "node:fs";
import { readdir, statfs } from "node:fs/promises";
import { join } from "node:path";
import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { recogniseVolume } from "@/core/formats/recognise";
import type { ByteSource } from "@/core/kernel/source";
import { sheetPath } from "@/core/making/pack/pack";
import { type Pack, readPack } from "@/core/making/pack/pack-read";
import { FileSource } from "@/server/host/file-source";
import { type Disk, type Machine, mountPoint } from "./machine";
import { textOf, tool } from "./shell";

export interface Store {
  folder: string;
  /** The disk that it is on. */
  disk: string;
  filesystem: string;
  /** A file is no larger there; null where that is no limit. */
  fileMaxBytes: number | null;
}

export interface Medium {
  pack: Pack | null;
  /** Where its pack lies. */
  folder: string | null;
  store: Store | null;
  /** Disks that are it, or part of it: nothing of them is saved or written over. */
  disks: Set<string>;
}

/** What the medium that the environment started from has. */
const ENVIRONMENT = "creel/initrd";

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
  for (const disk of disks.filter((each) => each.removable)) {
    const names = await readdir(`/sys/block/${disk.name}`);
    const own = names.filter((name) => name.startsWith(disk.name));
    for (const name of own.length > 0 ? own : [disk.name])
      partitions.push({ device: `/dev/${name}`, disk: disk.path, filesystem: await filesystemOf(`/dev/${name}`) });
  }
  for (const name of (await readdir("/sys/block")).filter((each) => each.startsWith("sr")))
    partitions.push({ device: `/dev/${name}`, disk: `/dev/${name}`, filesystem: "iso9660" });
  return partitions;
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

const nameOf = ({ device }: Partition) => device.slice("/dev/".length);

async function mount(partition: Partition, isWritten: boolean): Promise<string | null> {
  const folder = await mountPoint(nameOf(partition));
  const { filesystem, device } = partition;
  if ((await textOf("/proc/mounts"))?.includes(`${device} ${folder} `)) return folder;
  const how = isWritten ? "rw" : "ro";
  if (filesystem === "ntfs") return (await tool("ntfs-3g", ["-o", how, device, folder])) === null ? null : folder;
  const type = filesystem?.startsWith("fat") ? "vfat" : filesystem;
  return type && (await tool("mount", ["-t", type, "-o", how, device, folder])) !== null ? folder : null;
}

/** Looks for what Creel made among what is plugged in: records and sheets, and a store to write into. */
export async function findMedium(disks: readonly Disk[]): Promise<Medium> {
  const partitions = await partitionsOf(disks);
  const medium: Medium = { pack: null, folder: null, store: null, disks: new Set() };
  for (const partition of partitions) {
    const folder = await mount(partition, false);
    if (!folder) continue;
    if (existsSync(join(folder, ENVIRONMENT))) medium.disks.add(partition.disk);
    const reading = medium.pack ? null : await readPack((path) => openIn(folder, path)).catch(() => null);
    if (!reading?.ok) continue;
    medium.pack = reading.pack;
    medium.folder = folder;
    medium.disks.add(partition.disk);
  }
  medium.store = await storeAmong(partitions);
  if (medium.store) medium.disks.add(medium.store.disk);
  return medium;
}

/** The first that can be written and has room, by the order of `STORES`. */
async function storeAmong(partitions: readonly Partition[]): Promise<Store | null> {
  for (const filesystem of STORES)
    for (const partition of partitions.filter((each) => each.filesystem === filesystem)) {
      await tool("umount", [await mountPoint(nameOf(partition))]);
      const folder = await mount(partition, true);
      if (!folder || (await freeBytes(folder)) < STORE_MIN_BYTES) continue;
      return {
        folder,
        disk: partition.disk,
        filesystem,
        fileMaxBytes: filesystem === "fat32" ? FAT_FILE_MAX_BYTES : null,
      };
    }
  return null;
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
