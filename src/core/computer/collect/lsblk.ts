import { itemAt } from "../../kernel/item-at";
import { flag, isRecord, statedText, wholeNumber } from "../../kernel/stated-values";
import { type PartialDisk, pathPart } from "../facts/paths";
import { roleOfType } from "../facts/roles";
import type { DocumentNote, Told } from "./document";

/** `lsblk --json`, with whatever columns it was asked for. Source: lsblk(8) of util-linux. */
export function isLsblk(value: unknown): value is { blockdevices: unknown[] } {
  return isRecord(value) && Array.isArray(value.blockdevices);
}

/** File systems and containers as libblkid names them, to the names of `creel.facts/1`. */
const FILE_SYSTEMS: Record<string, string> = {
  vfat: "fat32",
  crypto_LUKS: "luks",
  BitLocker: "bitlocker",
  LVM2_member: "lvm",
  linux_raid_member: "raid",
};
const ENCRYPTED: Record<string, string> = { crypto_LUKS: "luks", BitLocker: "bitlocker" };

function fileSystemName(fstype: string, version: string | null = null): string {
  if (fstype === "vfat") {
    const size = /FAT(12|16|32)/i.exec(version ?? "")?.[1];
    return `fat${size ?? 32}`;
  }
  return FILE_SYSTEMS[fstype] ?? fstype;
}

const DEPTH_MAX = 16;
const DEVICES_MAX = 2000;

/** Output of `lsblk --json` (util-linux). Sizes are bytes with `-b`; without it they are rounded, and said to be. */
export function readLsblk(value: { blockdevices: unknown[] }): Told {
  const notes: DocumentNote[] = [];
  const disks: PartialDisk[] = [];
  const rounded: string[] = [];
  const complete: string[] = [];
  let optical = false;
  for (const device of asTree(value.blockdevices.slice(0, DEVICES_MAX).filter(isRecord))) {
    const type = statedText(device.type);
    const name = deviceName(device);
    if (type === "rom") optical = true;
    if (!name || !isDisk(type, name)) continue;
    const size = sizeOf(device.size);
    if (size?.bytes === 0) continue;
    const disk = diskOf(device, name, size?.bytes ?? null, rounded);
    if (size?.rounded) rounded.push(`disks/${pathPart(name)}/bytes`);
    disks.push(disk);
    if (Array.isArray(device.children)) complete.push(`disks/${pathPart(name)}/partitions`);
  }
  if (rounded.length > 0) notes.push({ code: "sizes-rounded" });
  return {
    facts: { disks, ...(optical ? { ports: { optical: true } } : {}) },
    complete: ["disks", ...complete],
    rounded,
    notes,
  };
}

/** The kernel's name, where the tool was asked for paths too. */
function deviceName(device: Record<string, unknown>): string | null {
  const name = statedText(device.name) ?? statedText(device.kname) ?? statedText(device.path);
  return name?.replace(/^\/dev\//, "") ?? null;
}

/** A list (`--list`) names each device's parent; it becomes the tree that the tool shows otherwise. */
function asTree(devices: Record<string, unknown>[]): Record<string, unknown>[] {
  const parentOf = (device: Record<string, unknown>) => statedText(device.pkname)?.replace(/^\/dev\//, "") ?? null;
  if (devices.some((device) => Array.isArray(device.children)) || !devices.some(parentOf)) return devices;
  const byName = new Map(devices.map((device) => [deviceName(device), { ...device, children: [] as unknown[] }]));
  const roots: Record<string, unknown>[] = [];
  for (const device of byName.values()) {
    const parent = byName.get(parentOf(device));
    if (parent && parent !== device) parent.children.push(device);
    else roots.push(device);
  }
  return roots.map((device) =>
    (device.children as unknown[]).length > 0 ? device : { ...device, children: undefined },
  );
}

/** Without a type column, memory and loop devices are known by their names. */
function isDisk(type: string | null, name: string): boolean {
  if (/^(zram|ram|loop|sr|fd|dm-|md)\d*/.test(name) || /^mmcblk\d+(boot\d|rpmb)$/.test(name)) return false;
  return type === null || type === "disk";
}

const UNITS = "BKMGTPE";

/** Bytes as given, or from a rounded text such as "238.5G" (powers of 1,024). */
function sizeOf(size: unknown): { bytes: number; rounded: boolean } | null {
  const exact = wholeNumber(size);
  if (exact !== null) return { bytes: exact, rounded: false };
  const match = /^(\d+(?:[.,]\d+)?)\s*([BKMGTPE])(?:iB)?$/i.exec(statedText(size) ?? "");
  if (!match) return null;
  const power = UNITS.indexOf(itemAt(match, 2).toUpperCase());
  return { bytes: Math.round(Number(itemAt(match, 1).replace(",", ".")) * 1024 ** power), rounded: power > 0 };
}

const BUSES: Record<string, string> = { ata: "ide", sata: "sata", nvme: "nvme", usb: "usb", sas: "sas", mmc: "mmc" };

function busOf(device: Record<string, unknown>, name: string): string | null {
  const transport = statedText(device.tran);
  if (transport) return BUSES[transport] ?? transport;
  if (name.startsWith("nvme")) return "nvme";
  if (name.startsWith("mmcblk")) return "mmc";
  if (name.startsWith("vd")) return "virtio";
  return null;
}

function diskOf(device: Record<string, unknown>, name: string, bytes: number | null, rounded: string[]): PartialDisk {
  const bus = busOf(device, name);
  const removable = flag(device.rm);
  const hotplug = flag(device.hotplug);
  return {
    name,
    ...(bytes === null ? {} : { bytes }),
    sectorBytes: wholeNumber(device["log-sec"]),
    bus,
    table: tableName(statedText(device.pttype)),
    model: statedText(device.model),
    serial: statedText(device.serial),
    removable: bus === "usb" ? true : (removable ?? (hotplug === null ? null : hotplug && bus !== "sata")),
    partitions: partitionsOf(device, name, rounded),
    ...(isFoundBlank(device) ? { blank: true } : {}),
  };
}

/** It was asked for tables and file systems, and found neither. */
function isFoundBlank(device: Record<string, unknown>): boolean {
  return "pttype" in device && device.pttype === null && device.fstype === null && !Array.isArray(device.children);
}

/** lsblk and sfdisk say "dos" for what the trade, and Creel, call an MBR. */
export function tableName(type: string | null): string | null {
  return type === "dos" ? "mbr" : type;
}

function partitionsOf(
  device: Record<string, unknown>,
  diskName: string,
  rounded: string[],
): NonNullable<PartialDisk["partitions"]> {
  const children = Array.isArray(device.children) ? device.children.filter(isRecord) : [];
  return children.slice(0, 256).flatMap((child, index) => {
    const type = statedText(child.type);
    if (type !== null && type !== "part") return [];
    const size = sizeOf(child.size);
    const name = deviceName(child) ?? "";
    if (!size) return [];
    const number = wholeNumber(child.partn) ?? numberOf(name) ?? index + 1;
    if (size.rounded) rounded.push(`disks/${pathPart(diskName)}/partitions/${number}/bytes`);
    const fstype = statedText(child.fstype);
    const partitionType = statedText(child.parttype);
    const flags = statedText(child.partflags);
    const sector = wholeNumber(child.start);
    // `start` counts sectors of 512 bytes, whatever the disk's own are (sysfs).
    return [
      {
        number,
        bytes: size.bytes,
        start: sector === null ? null : sector * 512,
        type: partitionType?.toLowerCase() ?? null,
        filesystem: fstype === null ? null : fileSystemName(fstype, statedText(child.fsver)),
        usedBytes: usedOf(child),
        role: fstype === "swap" ? "swap" : (roleOfType(partitionType) ?? null),
        encryption: fstype === null ? null : (ENCRYPTED[fstype] ?? null),
        label: statedText(child.label) ?? statedText(child.partlabel),
        active: flags === "0x80" && tableName(statedText(device.pttype)) === "mbr" ? true : null,
      },
    ];
  });
}

/** A mounted file system's use; of an opened encrypted volume the one inside it. */
function usedOf(device: Record<string, unknown>, depth = 0): number | null {
  const use = sizeOf(device.fsused);
  const ownUse = use && !use.rounded ? use.bytes : null;
  if (ownUse !== null || depth > DEPTH_MAX || !Array.isArray(device.children)) return ownUse;
  const inner = device.children.filter(isRecord).map((child) => usedOf(child, depth + 1));
  const knownUses = inner.filter((each) => each !== null);
  return knownUses.length > 0 ? knownUses.reduce((sum, each) => sum + each, 0) : null;
}

/** The kernel's rule: digits after a letter (sda1), or after a digit and a p (nvme0n1p1); null where there is none. */
export function numberOf(partitionName: string): number | null {
  const digits = /(?:\dp|[a-z])(\d+)$/.exec(partitionName)?.[1];
  return digits ? Number(digits) : null;
}
