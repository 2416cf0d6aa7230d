import type { Sort } from "@/server/computers/computer-list";

/** Columns that the table of computers can show; the tag is always there. */
export const COLUMN_KEYS = [
  "name",
  "site",
  "chain",
  "firmware",
  "secureBoot",
  "system",
  "make",
  "model",
  "serial",
  "form",
  "firmwareVersion",
  "memory",
  "disk",
  "missing",
  "factsAt",
] as const;
export type ColumnKey = (typeof COLUMN_KEYS)[number];

export const DEFAULT_COLUMNS: readonly ColumnKey[] = [
  "name",
  "site",
  "chain",
  "model",
  "firmware",
  "secureBoot",
  "system",
  "missing",
];

export const COLUMN_TITLES: Record<ColumnKey, string> = {
  name: "Name",
  site: "Site",
  chain: "Best route",
  firmware: "Firmware",
  secureBoot: "Secure Boot",
  system: "System",
  make: "Make",
  model: "Model",
  serial: "Serial",
  form: "Form factor",
  firmwareVersion: "Firmware's version",
  memory: "Memory",
  disk: "Disk",
  missing: "Missing facts",
  factsAt: "Facts of",
};

/** What a click on the heading sorts by; null: it cannot be sorted by. */
export const COLUMN_SORTS: Record<ColumnKey, Sort | null> = {
  name: "name",
  site: "site",
  chain: null,
  firmware: "firmware",
  secureBoot: "secureBoot",
  system: "system",
  make: "make",
  model: "model",
  serial: "serial",
  form: "form",
  firmwareVersion: "firmwareVersion",
  memory: "memory",
  disk: "disk",
  missing: "missing",
  factsAt: "factsAt",
};
