import { flag, isRecord, statedText, wholeNumber } from "../../kernel/stated-values";
import { type PartialDisk, pathPart } from "../facts/paths";
import { mbrType, roleOfType } from "../facts/roles";
import type { Told } from "./document";
import { numberOf, tableName } from "./lsblk";

/** `sfdisk --json` and the dump of `sfdisk --dump`. Source: sfdisk(8) of util-linux. */
export function isSfdiskJson(value: unknown): value is { partitiontable: Record<string, unknown> } {
  return isRecord(value) && isRecord(value.partitiontable);
}

/**
 * The dump that `sfdisk -d` writes (sfdisk(8)): its head has a label and the unit, which is always sectors. Before
 * util-linux 2.26 it named its disk in a comment, knew the MBR only, and told no label (from memory).
 */
export function isSfdiskDump(text: string): boolean {
  return /^unit:\s*sectors/m.test(text) && (/^label(-id)?:\s*\S/m.test(text) || OLD_HEAD.test(text));
}

const OLD_HEAD = /^# partition table of (\S+)/m;

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
      // A row without a place is no partition; the others of its table stand.
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
  // Split before each label, so that a dump that was cut off loses its own disk only.
  const parts = text.split(/^(?=label:|# partition table of )/m).filter((part) => isSfdiskDump(part));
  const all = parts.slice(0, DISKS_MAX).map(readOneDump);
  return {
    facts: { disks: all.flatMap((told) => told.facts.disks ?? []) },
    complete: all.flatMap((told) => told.complete ?? []),
    notes: all.flatMap((told) => told.notes ?? []),
  };
}

function readOneDump(text: string): Told {
  const header = (name: string) => new RegExp(`^${name}:\\s*(.+)$`, "m").exec(text)?.[1]?.trim() ?? null;
  const old = OLD_HEAD.exec(text)?.[1] ?? null;
  const partitions = text
    .split(/\r?\n/)
    // A header's line has a colon too; only a partition's goes on with its start.
    .filter((line) => /^\S+\s*:\s*start=/.test(line))
    .slice(0, PARTITIONS_MAX)
    .flatMap((line) => {
      const [, node = "", rest = ""] = /^(\S+)\s*:\s*(.*)$/.exec(line) ?? [];
      // A name may hold commas and blanks: it stands in quotes then.
      const value = (key: string) => new RegExp(`(?:^|[\\s,])${key}=\\s*("(?:[^"]*)"|[^,\\s]+)`, "i").exec(rest)?.[1];
      const start = wholeNumber(value("start"));
      const size = wholeNumber(value("size"));
      // Older dumps list the free slots of an MBR too, with a size of 0 (sfdisk(8)).
      if (start === null || size === null || size === 0) return [];
      return [
        {
          node,
          start,
          size,
          // Older dumps of an MBR say `Id=`, without 0x (sfdisk(8)).
          type: value("type") ?? value("Id") ?? null,
          name: value("name")?.replace(/^"|"$/g, "") ?? null,
          bootable: /(?:^|[\s,])bootable(?:[\s,]|$)/.test(rest),
        },
      ];
    });
  return tell({
    label: header("label") ?? (old ? "dos" : null),
    device: header("device") ?? old,
    sectorBytes: wholeNumber(header("sector-size")) ?? DEFAULT_SECTOR,
    partitions,
  });
}

function tell({ label, device, sectorBytes, partitions }: TableLine): Told {
  // Without a device nobody can say whose partitions these are: told, not guessed by order.
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
      // The number in the node's name, since tables have gaps; by order where the node is a file.
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
          // A GPT has attribute bits and no active partition; what a dump calls bootable there starts nothing.
          active: table === "mbr" ? bootable : null,
        },
      ];
    }),
  };
  return { facts: { disks: [disk] }, complete: [`disks/${pathPart(name)}/partitions`] };
}
