import { closest, distance } from "fastest-levenshtein";
import Papa from "papaparse";
import { factsSchema } from "../facts/schema";
import { COLUMNS, type Column, type ComputerRecord, DISK_COLUMNS } from "./columns";
import type { CellProblem, RecordProblem, TableProblem } from "./faults";

/** A table that was read: RFC 4180, any delimiter. */
export interface Table {
  delimiter: string;
  header: string[];
  rows: string[][];
  /** What is wrong with the file as such, by row where a row is to blame (the heading is row 1). */
  faults: RowFault[];
}

export interface RowFault<P = TableProblem> {
  /** 1 is the heading. Null: the file as a whole. */
  row: number | null;
  column: string | null;
  problem: P;
}

/** What is wrong with a row's own content, by column. */
export interface CellFault {
  column: string;
  problem: CellProblem | RecordProblem;
}

export const ENCODINGS = ["utf-8", "utf-16le", "utf-16be", "windows-1252"] as const;
export type Encoding = (typeof ENCODINGS)[number];

export const TABLE_BYTES_MAX = 256 * 2 ** 20;
const ROWS_MAX = 100_000;
const DELIMITERS = [",", ";", "\t", "|"] as const;

/** The encoding that a file's mark tells; without one UTF-8 is meant. */
export function encodingOf(bytes: Uint8Array): Encoding {
  const [a, b] = bytes;
  return a === 0xff && b === 0xfe ? "utf-16le" : a === 0xfe && b === 0xff ? "utf-16be" : "utf-8";
}

/** Text of a file. `damaged`: some bytes are not of this encoding; each became U+FFFD. */
export function decode(bytes: Uint8Array, encoding: Encoding): { text: string; damaged: boolean } {
  try {
    return { text: new TextDecoder(encoding, { fatal: true }).decode(bytes), damaged: false };
  } catch {
    return { text: new TextDecoder(encoding).decode(bytes), damaged: true };
  }
}

const COLUMNS_MAX = 500;
const LF = 10;
const CR = 13;
const QUOTE = 34;

/**
 * Rows that end now with CRLF, now with LF, as files have that were edited by several programs: all end with LF then.
 * What stands inside quotes is left as it is.
 */
function withEqualRowEnds(text: string): string {
  if (!text.includes("\r\n") || !/(^|[^\r])\n/.test(text)) return text;
  const ends = { crlf: false, lf: false };
  const parts: string[] = [];
  let inside = false;
  let from = 0;
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    if (code === QUOTE) inside = !inside;
    else if (code === LF && !inside) {
      const crlf = text.charCodeAt(at - 1) === CR;
      ends[crlf ? "crlf" : "lf"] = true;
      parts.push(text.slice(from, crlf ? at - 1 : at));
      from = at + 1;
    }
  }
  if (!ends.crlf || !ends.lf) return text;
  parts.push(text.slice(from));
  return parts.join("\n");
}

const QUOTES: Record<string, TableProblem> = {
  MissingQuotes: { code: "quote-missing" },
  InvalidQuotes: { code: "quote-not-doubled" },
};

/** Reads a table. `delimiter` null: the one that fits best. Never throws. */
export function readTable(text: string, delimiter: string | null = null, damaged = false): Table {
  const told = /^\uFEFF?sep=(.)\r?\n/.exec(text);
  const body = withEqualRowEnds((told ? text.slice(told[0].length) : text).replace(/^\uFEFF/, ""));
  const parsed = Papa.parse<string[]>(body, {
    delimiter: delimiter ?? told?.[1] ?? "",
    delimitersToGuess: [...DELIMITERS, Papa.RECORD_SEP, Papa.UNIT_SEP],
    skipEmptyLines: "greedy",
    preview: ROWS_MAX + 2,
  });
  const [header = [], ...rows] = parsed.data;
  const faults: RowFault[] = [];
  for (const error of parsed.errors) {
    const problem = QUOTES[error.code];
    if (problem) faults.push({ row: (error.row ?? 0) + 1, column: null, problem });
  }
  if (rows.length > ROWS_MAX)
    faults.push({ row: null, column: null, problem: { code: "too-many-rows", most: ROWS_MAX } });
  if (header.length > COLUMNS_MAX) {
    const problem = { code: "too-many-columns", count: header.length, most: COLUMNS_MAX } as const;
    const few = header.slice(0, COLUMNS_MAX);
    return { delimiter: parsed.meta.delimiter, header: few, rows: [], faults: [{ row: 1, column: null, problem }] };
  }
  if (header.length === 0) faults.push({ row: null, column: null, problem: { code: "no-heading" } });
  for (const [index, row] of rows.entries()) {
    if (row.length > header.length && row.slice(header.length).some((cell) => cell.trim() !== ""))
      faults.push({
        row: index + 2,
        column: null,
        problem: { code: "cells-past-heading", cells: row.length, heading: header.length },
      });
    if (damaged && row.some((cell) => cell.includes("\uFFFD")))
      faults.push({
        row: index + 2,
        column: header[row.findIndex((cell) => cell.includes("\uFFFD"))] ?? null,
        problem: { code: "not-utf8" },
      });
  }
  return {
    delimiter: parsed.meta.delimiter,
    header,
    rows: rows.slice(0, ROWS_MAX),
    faults: faults.slice(0, FAULTS_MAX),
  };
}

export const FAULTS_MAX = 200;

/** For each column of the file, the key of the column it is, or null where it is left out. */
export type Mapping = (string | null)[];

const letters = (heading: string) => heading.toLowerCase().replace(/[^a-z0-9]/g, "");
const NEAR = 2;
/** Longer ones are no heading, and would take long to compare. */
const HEADING_MAX = 60;

/** A guess: the same name, another name for it, or one that differs by a slip. Each column is used once. */
export function guessMapping(header: string[]): Mapping {
  const free = new Set(COLUMNS.map((column) => column.key));
  const mapping: Mapping = header.map(() => null);
  const assign = (find: (heading: string) => Column | undefined) => {
    for (const [index, heading] of header.entries()) {
      if (mapping[index]) continue;
      const column = find(letters(heading));
      if (!column || !free.has(column.key)) continue;
      mapping[index] = column.key;
      free.delete(column.key);
    }
  };
  const unitless = (heading: string) => heading.replace(/(gib|gb|mib|mb|tb|bytes)$/, "");
  assign((heading) => COLUMNS.find((column) => letters(column.key) === heading || letters(column.title) === heading));
  assign((heading) => COLUMNS.find((column) => column.aliases.includes(heading)));
  assign((heading) => COLUMNS.find((column) => column.aliases.includes(unitless(heading))));
  assign((heading) => {
    if (heading.length < 5 || heading.length > HEADING_MAX) return undefined;
    const names = COLUMNS.flatMap((column) => [letters(column.key), letters(column.title), ...column.aliases]);
    const near = closest(heading, names);
    if (distance(heading, near) > NEAR || near.length < 5) return undefined;
    return COLUMNS.find((column) => [letters(column.key), letters(column.title), ...column.aliases].includes(near));
  });
  return mapping;
}

/** A leading apostrophe that Creel wrote, so that a spreadsheet does not run the cell as a formula. */
const GUARDED = /^'+[=+\-@\t\r]/;
const NEEDS_GUARD = /^'*[=+\-@\t\r]/;

/**
 * Spreadsheets run a cell that begins like a formula: an apostrophe before it makes it text. OWASP, "CSV Injection".
 */
export function guardCell(cell: string): string {
  return NEEDS_GUARD.test(cell) ? `'${cell}` : cell;
}

/** The cell as it was before `guardCell`: an apostrophe that guards nothing is left. */
export function unguardCell(cell: string): string {
  return GUARDED.test(cell) ? cell.slice(1) : cell;
}

/** Cells of a row by column; those of the whole facts come first, so that single facts are laid over them. */
export function readRow(
  record: ComputerRecord,
  cells: string[],
  header: string[],
  mapping: Mapping,
  emptyClears: boolean,
): CellFault[] {
  const problems: CellFault[] = [];
  const inOrder = mapping
    .map((key, index) => ({ column: COLUMNS.find((each) => each.key === key), index }))
    .sort((a, b) => Number(b.column?.key === "facts") - Number(a.column?.key === "facts"));
  for (const { column, index } of inOrder) {
    if (!column) continue;
    const cell = unguardCell(cells[index] ?? "");
    if (cell.trim() === "") {
      if (emptyClears && column.key !== "tag") column.clear?.(record);
      continue;
    }
    const heading = header[index] ?? "";
    const problem = column.read(record, cell, heading);
    if (problem) problems.push({ column: heading || column.key, problem });
  }
  problems.push(...settle(record));
  return problems;
}

/** A table that fills a disk's or a system's columns one by one may leave half of one. */
function settle(record: ComputerRecord): CellFault[] {
  const problems: CellFault[] = [];
  const { disks, systems } = record.facts;
  if (disks) {
    for (const [index, disk] of disks.entries())
      if (disk.bytes === 0 && index < DISK_COLUMNS && (disk.model || disk.serial || disk.bus))
        problems.push({
          column: `disk${index + 1}Bytes`,
          problem: { code: "disk-without-size", disk: index + 1 },
        });
    record.facts.disks = disks.filter((disk) => disk.bytes > 0 || !/^disk \d$/.test(disk.name));
  }
  if (systems?.[0]?.name === "") {
    const { version, edition, family } = systems[0];
    if (version || edition || family) problems.push({ column: "systemName", problem: { code: "system-without-name" } });
    record.facts.systems = systems.length > 1 ? systems.slice(1) : null;
  }
  const parsed = factsSchema.safeParse(record.facts);
  if (parsed.success) record.facts = parsed.data;
  else {
    const issue = parsed.error.issues[0];
    problems.push({
      column: issue?.path.join(".") ?? "facts",
      problem: { code: "facts-unfit", at: issue?.path.join(" ") ?? "", told: issue?.message ?? "" },
    });
  }
  return problems;
}

/** A table of computers as Creel writes it: UTF-8 with a mark, comma, CRLF (RFC 4180), formulas guarded. */
export function writeTable(records: Iterable<ComputerRecord>, withHeader = true): string {
  const rows = [...records].map((record) => COLUMNS.map((column) => guardCell(column.write(record))));
  const body = Papa.unparse(rows, { newline: "\r\n" });
  const header = Papa.unparse([COLUMNS.map((column) => column.key)], { newline: "\r\n" });
  return [...(withHeader ? [`\uFEFF${header}`] : []), ...(rows.length > 0 ? [body] : [])]
    .map((part) => `${part}\r\n`)
    .join("");
}
