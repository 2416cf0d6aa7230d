import { flag, isRecord, statedText, wholeNumber } from "../../kernel/stated-values";
import { type PartialDisk, pathPart } from "../facts/paths";
import { mbrType, roleOfType } from "../facts/roles";
import type { Told } from "./document";
import { numberOf, tableName } from "./lsblk";

/** `sfdisk --json` and the dump of `sfdisk --dump`. Source: sfdisk(8) of util-linux. */
export function isSfdiskJson(value: unknown): value is { partitiontable: Record<string, unknown> } {
  return isRecord(value) && isRecord(value.partitiontable);
}

/** The dump that `sfdisk -d` writes (sfdisk(8)): its head has a label and the unit, which is always sectors. */
export function isSfdiskDump(text: string): boolean {
  return (
    /^label(-id)?:\s*\S/m.test(text) &&
    /^(device|unit|sector-size|label):/m.test(text) &&
    /^unit:\s*sectors/m.test(text)
  );
}

interface TableLine {
  label: string | null;
  device: string | null;
  sectorBytes: number;
  partitions: {
    node: string;
    start: number;
    size: number;
    type: string | null;
    name: string | null;
    bootable: boolean;
  }[];
}

const DEFAULT_SECTOR = 512;
const PARTITIONS_MAX = 256;
const DISKS_MAX = 64;

/** Output of `sfdisk --json`: starts and sizes in sectors of the size that it tells, 512 bytes where it tells none. */
export function readSfdiskJson({ partitiontable: table }: { partitiontable: Record<string, unknown> }): Told {
  const rows = Array.isArray(table.partitions) ? table.partitions.filter(isRecord) : [];
  return tell({
    label: statedText(table.label),
    device: statedText(table.device),
    sectorBytes: wholeNumber(table.sectorsize) ?? DEFAULT_SECTOR,
    partitions: rows.slice(0, PARTITIONS_MAX).flatMap((row) => {
      const start = wholeNumber(row.start);
      const size = wholeNumber(row.size);
      if (start === null || size === null) return [];
      return [
        {
          node: statedText(row.node) ?? "",
          start,
          size,
          type: statedText(row.type),
          name: statedText(row.name),
          bootable: flag(row.bootable) === true,
        },
      ];
    }),
  });
}

/** Dumps of several disks may stand in one file: each begins with its label. */
export function readSfdiskDump(text: string): Told {
  const parts = text.split(/^(?=label:)/m).filter((part) => isSfdiskDump(part));
  const all = parts.slice(0, DISKS_MAX).map(readOneDump);
  return {
    facts: { disks: all.flatMap((told) => told.facts.disks ?? []) },
    complete: all.flatMap((told) => told.complete ?? []),
    notes: all.flatMap((told) => told.notes ?? []),
  };
}

function readOneDump(text: string): Told {
  const header = (name: string) => new RegExp(`^${name}:\\s*(.+)$`, "m").exec(text)?.[1]?.trim() ?? null;
  const partitions = text
    .split(/\r?\n/)
    .filter((line) => /^\S+\s*:\s*start=/.test(line))
    .slice(0, PARTITIONS_MAX)
    .flatMap((line) => {
      const [, node = "", rest = ""] = /^(\S+)\s*:\s*(.*)$/.exec(line) ?? [];
      const value = (key: string) => new RegExp(`(?:^|[\\s,])${key}=\\s*("(?:[^"]*)"|[^,\\s]+)`, "i").exec(rest)?.[1];
      const start = wholeNumber(value("start"));
      const size = wholeNumber(value("size"));
      if (start === null || size === null) return [];
      return [
        {
          node,
          start,
          size,
          type: value("type") ?? value("Id") ?? null,
          name: value("name")?.replace(/^"|"$/g, "") ?? null,
          bootable: /(?:^|[\s,])bootable(?:[\s,]|$)/.test(rest),
        },
      ];
    });
  return tell({
    label: header("label"),
    device: header("device"),
    sectorBytes: wholeNumber(header("sector-size")) ?? DEFAULT_SECTOR,
    partitions,
  });
}

function tell({ label, device, sectorBytes, partitions }: TableLine): Told {
  const name = (device ?? "").replace(/^\/dev\//, "");
  if (!name)
    return {
      facts: {},
      notes: [{ code: "table-of-no-device" }],
    };
  const table = tableName(label);
  const disk: PartialDisk = {
    name,
    table,
    sectorBytes,
    partitions: partitions.flatMap(({ node, start, size, type, name: title, bootable }, index) => {
      const number = numberOf(node.replace(/^\/dev\//, "")) ?? index + 1;
      // Extended partitions are containers of others, not content.
      const code = table === "mbr" && type !== null ? mbrType(type) : null;
      if (code === 0x05 || code === 0x0f || code === 0x85) return [];
      return [
        {
          number,
          start: start * sectorBytes,
          bytes: size * sectorBytes,
          type: code === null ? (type?.toLowerCase() ?? null) : `0x${code.toString(16).padStart(2, "0")}`,
          role: roleOfType(type),
          label: title,
          active: table === "mbr" ? bootable : null,
        },
      ];
    }),
  };
  return { facts: { disks: [disk] }, complete: [`disks/${pathPart(name)}/partitions`] };
}
