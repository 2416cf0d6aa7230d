import { mbrType, roleOf } from "../facts/roles";
import type { DiskFacts, DiskPartition, Facts } from "../facts/schema";

/** Buses on which a disk is attached from outside, whatever is recorded of its being removable. Common practice. */
const OUTSIDE: ReadonlySet<string> = new Set(["usb", "firewire", "ieee1394", "1394", "thunderbolt"]);

/** The disks that are built in: what hangs on USB is no target, also where nobody recorded that it can be taken off. */
export function internalDisks({ disks }: { disks: readonly DiskFacts[] | null }): DiskFacts[] {
  return (disks ?? []).filter((disk) => disk.removable !== true && !isOutside(disk));
}

const isOutside = ({ bus }: DiskFacts) => OUTSIDE.has(bus?.toLowerCase() ?? "");

/** Disks that can be taken off without being attached from outside, as in a caddy: one may be the system's all the same. */
export function caddyDisks({ disks }: { disks: readonly DiskFacts[] | null }): DiskFacts[] {
  return (disks ?? []).filter((disk) => disk.removable === true && !isOutside(disk));
}

/** Which disk the computer's systems run from. `several`: the facts do not tell which; recording where a system is does. */
export type DiskChoice =
  | { state: "one"; disk: DiskFacts }
  | { state: "none" }
  | { state: "several"; disks: DiskFacts[] };

/**
 * The disk that a computer is brought back on: the one with the partition that its systems run from. Only where that is
 * not recorded its contents decide, and what only has a left-over EFI system partition is no reason to erase it.
 * `told`: the name of a disk that somebody put in its place; it is the target whatever else is there.
 */
export function chooseDisk(facts: Pick<Facts, "disks" | "systems">, told: string | null = null): DiskChoice {
  const disks = internalDisks(facts);
  const fresh = told === null ? undefined : disks.find(({ name }) => name === told);
  if (fresh) return { state: "one", disk: fresh };
  if (disks.length === 0) return { state: "none" };
  const running = disks.filter((disk) => (facts.systems ?? []).some(({ partition }) => isOn(partition, disk)));
  if (running.length > 0) return oneOf(running);
  const withSystem = disks.filter((disk) => disk.partitions.some((partition) => roleOf(partition) === "system"));
  if (withSystem.length > 0) return oneOf(withSystem);
  // What holds data alone, or nothing, is not what starts. A partition that cannot be told may be a system's.
  const possible = disks.filter((disk) => disk.partitions.some((partition) => !isDataOnly(partition)));
  return oneOf(possible.length > 0 ? possible : disks);
}

const isDataOnly = (partition: DiskPartition) => ["data", "swap"].includes(roleOf(partition) ?? "");

function oneOf(disks: DiskFacts[]): DiskChoice {
  const [first] = disks;
  return first && disks.length === 1 ? { state: "one", disk: first } : { state: "several", disks };
}

/** Whether a system's place ("sda 2", "sda2", "nvme0n1p2", "Disk 0 3") is on a disk. */
function isOn(place: string | null, { name, partitions }: DiskFacts): boolean {
  if (place === null) return false;
  const [told, own] = [place.trim().replace(/^\/dev\//, ""), name.replace(/^\/dev\//, "")];
  if (!told.startsWith(own)) return false;
  const rest = told.slice(own.length);
  const number = /^(?:\s+|p)?(\d+)$/.exec(rest)?.[1];
  if (number === undefined) return rest.trim() === "";
  return partitions.length === 0 || partitions.some((partition) => partition.number === Number(number));
}

/** The disk that the system starts from, where the facts tell it. */
export function systemDisk(facts: Pick<Facts, "disks" | "systems">, told: string | null = null): DiskFacts | null {
  const choice = chooseDisk(facts, told);
  return choice.state === "one" ? choice.disk : null;
}

/**
 * Another built-in disk that the system on this one starts from: this one has no EFI system partition, and one other disk
 * has. So an installer leaves it that found one there already. Common practice.
 */
export function startsFromOther(facts: Pick<Facts, "disks">, disk: DiskFacts): DiskFacts | null {
  const hasEsp = ({ partitions }: DiskFacts) => partitions.some((partition) => roleOf(partition) === "esp");
  // Of a disk whose partitions are not recorded nobody knows what it lacks.
  if (disk.partitions.length === 0 || hasEsp(disk)) return null;
  const [other, ...more] = internalDisks(facts).filter((each) => each !== disk && hasEsp(each));
  return other && more.length === 0 ? other : null;
}

/** Whether a disk is known to hold nothing: one of which nobody recorded what is on it is not taken for empty. */
export function isBlank({ blank, partitions }: Pick<DiskFacts, "blank" | "partitions">): boolean {
  return blank === true && partitions.length === 0;
}

/** What several disks, or volumes on them, are bound together by. */
export type DiskSet = "lvm" | "raid" | "dynamic" | "pool";

/**
 * Partition types and file systems of members. UEFI 2.10 names none; Microsoft "PARTITION_INFORMATION_GPT" (dynamic disks,
 * storage spaces), the Discoverable Partitions Specification (LVM, RAID), OpenZFS; MBR types as in the published lists.
 */
const SET_TYPES: Record<string, DiskSet> = {
  "e6d6d379-f507-44c2-a23c-238f2a3df928": "lvm",
  "a19d880f-05fc-4d3b-a006-743f0f84911e": "raid",
  "5808c8aa-7e8f-42e0-85d2-e1e90434cfb3": "dynamic",
  "af9b60a0-1431-4f62-bc68-3311714a69ad": "dynamic",
  "e75caf8f-f680-4cee-afa3-b001e56efc2d": "pool",
  "6a898cc3-1dd2-11b2-99a6-080020736631": "pool",
};
const SET_MBR_TYPES: Record<number, DiskSet> = { 142: "lvm", 253: "raid", 66: "dynamic" };
const SET_FILESYSTEMS: Record<string, DiskSet> = {
  lvm2_member: "lvm",
  lvm: "lvm",
  linux_raid_member: "raid",
  raid: "raid",
  mdraid: "raid",
  isw_raid_member: "raid",
  ddf_raid_member: "raid",
  zfs_member: "pool",
  bcache: "pool",
  zfs: "pool",
  storage_spaces: "pool",
};

/** Which set a disk is a member of; null: of none that its partitions tell. */
export function setOf(disk: DiskFacts): DiskSet | null {
  for (const { type, filesystem, role } of disk.partitions) {
    const number = type === null ? null : mbrType(type);
    const found =
      SET_TYPES[type?.toLowerCase() ?? ""] ??
      (number === null ? undefined : SET_MBR_TYPES[number]) ??
      SET_FILESYSTEMS[filesystem?.toLowerCase() ?? ""] ??
      SET_FILESYSTEMS[role?.toLowerCase() ?? ""];
    if (found) return found;
  }
  return null;
}

/** In which firmware mode the system on a disk was installed; null where the disk does not tell. */
export function installedMode(disk: DiskFacts): "uefi" | "bios" | null {
  const roles = disk.partitions.map(roleOf);
  const isGpt = disk.table?.toLowerCase() === "gpt" || disk.partitions.some(({ type }) => (type ?? "").length === 36);
  const [hasEsp, hasBiosBoot] = [roles.includes("esp"), roles.includes("bios-boot")];
  // UEFI firmware finds its loader on an EFI system partition; a BIOS loader on GPT has a partition of its own.
  if (isGpt) return hasEsp === hasBiosBoot ? null : hasEsp ? "uefi" : "bios";
  const hasActive = disk.partitions.some(({ active }) => active === true);
  return hasActive === hasEsp ? null : hasActive ? "bios" : "uefi";
}

/** A disk that takes the place of another one. Bytes. */
export interface NewDisk {
  bytes: number;
  sectorBytes: number | null;
  bus: string | null;
}

/**
 * The facts with another disk, an empty one, in the place of the system's, its name, and the disk that was there. Where
 * the facts do not tell which disk was the system's, it is one more: the old one may be any.
 */
export function withNewDisk(facts: Facts, disk: NewDisk): { facts: Facts; told: string; old: DiskFacts | null } {
  const old = systemDisk(facts);
  const disks = facts.disks ?? [];
  const name = old?.name ?? unusedName(disks.map((each) => each.name));
  const fresh: DiskFacts = {
    ...{ name, bytes: disk.bytes, sectorBytes: disk.sectorBytes, bus: disk.bus, table: null },
    ...{ model: "the new disk", serial: null, removable: false, partitions: [], blank: true },
  };
  return { facts: { ...facts, disks: [fresh, ...disks.filter((each) => each !== old)] }, told: name, old };
}

function unusedName(names: string[]): string {
  let name = "new disk";
  for (let copy = 2; names.includes(name); copy++) name = `new disk ${copy}`;
  return name;
}
