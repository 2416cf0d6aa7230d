import { z } from "zod";
import type { Affected } from "@/core/computer/affects";
import { COLUMNS } from "@/core/computer/exchange/columns";
import { ENCODINGS, type Mapping } from "@/core/computer/exchange/table";
import type { ImportFault, ImportTrouble } from "@/core/problems/problem";
import type { ImportId } from "../db/ids";
import type { IMPORT_STATES } from "../db/schema";

export const importOptionsSchema = z.object({
  encoding: z.enum(ENCODINGS),
  /** One character; null: the one that fits best. */
  delimiter: z.string().length(1).nullable(),
  /** For each column of the file, which it is; null: guessed. Not for JSON lines. */
  mapping: z.array(z.string().nullable()).max(500).nullable(),
  /** Empty cells clear what is recorded, instead of leaving it. */
  emptyClears: z.boolean(),
  /** Facts set by hand are replaced too. */
  overHand: z.boolean(),
  /** Places that are not recorded yet are added. */
  addSites: z.boolean(),
});
export type ImportOptions = z.infer<typeof importOptionsSchema>;

/** What Creel wrote itself is taken in whole, with places that are not recorded yet. */
export const WHOLE_IMPORT: ImportOptions = {
  encoding: "utf-8",
  delimiter: null,
  mapping: null,
  emptyClears: false,
  overHand: false,
  addSites: true,
};

export type ImportState = (typeof IMPORT_STATES)[number];

/** A row as it will be. */
interface PreviewRow {
  row: number;
  tag: string;
  action: "add" | "change" | "same";
  /** Field, was, is. */
  changes: { field: string; before: unknown; after: unknown }[];
}

export interface ImportReport {
  rows: number;
  added: number;
  changed: number;
  same: number;
  /** Facts set by hand that the table would change and that are kept. */
  keptByHand: number;
  newSites: string[];
  /** What the changes touch beyond themselves, by kind, with how many computers and some of their tags. */
  touched: { affected: Affected; count: number; tags: string[] }[];
  faults: ImportFault[];
  /** More faults than are listed. */
  faultsTotal: number;
  preview: PreviewRow[];
}

export interface ImportView {
  id: ImportId;
  fileName: string;
  bytes: number;
  state: ImportState;
  options: ImportOptions;
  done: number;
  total: number;
  report: ImportReport | null;
  problem: ImportTrouble | null;
  updatedAt: Date;
  /** Null for JSON lines. */
  table: { header: string[]; mapping: Mapping; delimiter: string; sample: string[][] } | null;
}

/** Columns that a file's column can be. */
export const COLUMN_CHOICES = COLUMNS.map(({ key, title }) => ({ key, title }));
