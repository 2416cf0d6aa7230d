import { itemAt } from "../../kernel/item-at";
import type { DiskFacts, DiskPartition } from "./schema";

/** What a partition is for, as `creel.facts/1` names it. */
export type Role = "esp" | "bios-boot" | "boot" | "msr" | "system" | "recovery" | "data" | "swap";

/**
 * GPT partition types that say what they are for. Sources: UEFI 2.10 table 5.7; Microsoft "PARTITION_INFORMATION_GPT";
 * the Discoverable Partitions Specification of the UAPI group; the GRUB manual (BIOS boot partition).
 */
const GPT_ROLES: Record<string, Role> = {
  "c12a7328-f81f-11d2-ba4b-00a0c93ec93b": "esp",
  "21686148-6449-6e6f-744e-656564454649": "bios-boot",
  "bc13c2ff-59e6-4262-a352-b275fd6f7172": "boot",
  "e3c9e316-0b5c-4db8-817d-f92df00215ae": "msr",
  "de94bba4-06d1-4d40-a16a-bfd50179d6ac": "recovery",
  "0657fd6d-a4ab-43c4-84e5-0933c84b4f4f": "swap",
  "44479540-f297-41b2-9af7-d131d5f0458a": "system",
  "4f68bce3-e8cd-4db1-96e7-fbcaf984b709": "system",
  "69dad710-2ce4-4e3c-b16c-21a1d49abed3": "system",
  "b921b045-1df0-41c3-af44-4c6f280d3fae": "system",
  "72ec70a6-cf74-40e6-bd49-4bda08e8f224": "system",
  "933ac7e1-2eb4-4f13-b844-0e14e2aef915": "data",
  "3b8f8425-20e0-4f3b-907f-1a25a76f98e8": "data",
};

/** MBR types. Common practice; 0x27 and 0xEF as in the published lists of partition types. */
const MBR_ROLES: Record<number, Role> = { 239: "esp", 39: "recovery", 18: "recovery", 130: "swap" };

/** MBR types as tools write them: "7", "0x07", "ef". */
export function mbrType(type: string): number | null {
  const match = /^(?:0x)?([0-9a-f]{1,2})$/i.exec(type.trim());
  return match ? Number.parseInt(itemAt(match, 1), 16) : null;
}

/** The role that a partition's type alone tells, or null where it could be several. */
export function roleOfType(type: string | null): Role | null {
  if (type === null) return null;
  const role = GPT_ROLES[type.toLowerCase()];
  if (role) return role;
  const number = mbrType(type);
  return number === null ? null : (MBR_ROLES[number] ?? null);
}

/** The role recorded, else the one that type, label and file system tell. Null: cannot be told. */
export function roleOf(partition: Pick<DiskPartition, "role" | "type" | "filesystem">): string | null {
  if (partition.role) return partition.role;
  const byType = roleOfType(partition.type);
  if (byType) return byType;
  return partition.filesystem === "swap" ? "swap" : null;
}

export interface ImageContent {
  partition: DiskPartition;
  role: string | null;
  /** must: without it the computer does not start; should: usual to take it; leave: left out on purpose. */
  take: "must" | "should" | "leave";
}

/**
 * What an image of this disk must contain to bring the computer back: what starts, and the system; usually the
 * recovery partition too; data on its own (common practice). A partition that cannot be told is taken.
 */
export function imageContents(disk: DiskFacts): ImageContent[] {
  return disk.partitions.map((partition) => {
    const role = roleOf(partition);
    return { partition, role, take: takeOf(role, partition) };
  });
}

function takeOf(role: string | null, partition: DiskPartition): ImageContent["take"] {
  if (partition.active) return "must";
  switch (role) {
    case "data":
    case "swap":
      return "leave";
    case "recovery":
      return "should";
    case "msr":
      return "should";
    default:
      return "must";
  }
}
