import { isBlank, setOf } from "../../computer/needs/system-disk";
import type { ComputerPart, ReleasePart } from "../model/parts";
import { all, broken, holds, type Ruling, unknown } from "./ruling";
import { targetOf, withinMbr } from "./target";

/**
 * Whether a lost table of partitions can be mended: that of GPT from its backup at the end of the disk (UEFI 2.10, 5.3.1), an
 * MBR by what partitions begin with. Common practice.
 */
export function judgePartitions(computer: Pick<ComputerPart, "facts" | "toldDisk">): Ruling {
  if (computer.toldDisk) return broken({ code: "disk-empty" });
  const target = targetOf(computer);
  if (target.disk === null) return target.ruling;
  const { disk } = target;
  if (isBlank(disk)) return broken({ code: "disk-empty" });
  const table = disk.table?.toLowerCase() ?? null;
  if (table === null) return unknown({ code: "fact-missing", fact: "table" });
  if (table === "gpt") return holds({ code: "table-has-backup", disk: disk.name });
  return holds({ code: "table-is-searched", disk: disk.name });
}

/**
 * Whether the old disk can be copied onto the new one beside it: at least as large, with sectors of the same size unless the
 * kit converts. Common practice.
 */
export function judgeCopy(
  { facts, toldDisk, oldDisk }: Pick<ComputerPart, "facts" | "toldDisk" | "oldDisk">,
  { facts: { abilities } }: Pick<ReleasePart, "facts">,
): Ruling {
  const fresh = facts.disks?.find(({ name }) => name === toldDisk);
  if (!fresh || !oldDisk) return unknown({ code: "fact-missing", fact: "disks" });
  const set = setOf(oldDisk);
  if (set !== null) return unknown({ code: "disk-in-set", disk: oldDisk.name, set });
  if (isBlank(oldDisk)) return broken({ code: "disk-empty" });
  const told = { disk: fresh.name, bytes: fresh.bytes, needed: oldDisk.bytes };
  const size =
    fresh.bytes >= oldDisk.bytes
      ? holds({ code: "target-large-enough", ...told })
      : broken({ code: "target-too-small", ...told });
  const converts = abilities.includes("sector-conversion");
  return all([
    size,
    converts ? null : sameSectors(fresh.sectorBytes, oldDisk.sectorBytes, fresh.name),
    oldDisk.table?.toLowerCase() === "gpt" ? null : withinMbr(fresh),
  ]);
}

function sameSectors(own: number | null, old: number | null, disk: string): Ruling | null {
  if (own === null || old === null) return unknown({ code: "fact-missing", fact: "sectorBytes" });
  return own === old ? null : broken({ code: "sectors-differ", disk, bytes: own, image: old });
}
