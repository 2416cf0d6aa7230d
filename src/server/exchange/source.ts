import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { readLine } from "@/core/computer/exchange/lines";
import { decode, guessMapping, type Mapping, readRow, readTable } from "@/core/computer/exchange/table";
import { assemble, flatten } from "@/core/computer/facts/paths";
import type { Facts } from "@/core/computer/facts/schema";
import type { ImportFault } from "@/core/problems/problem";
import type { ImportOptions } from "./options";

/** JSON lines, by name or by how the text begins. */
export const isLines = (fileName: string, text: string) =>
  /\.(jsonl|ndjson)$/i.test(fileName) || /^\uFEFF?\s*\{/.test(text);

/** The mapping that was chosen, or where it does not fit the heading, a guess. */
export function mappingOf(options: ImportOptions, header: string[]): Mapping {
  return options.mapping?.length === header.length ? options.mapping : guessMapping(header);
}

/** One row of the file as a change of a record, or its faults. */
export interface SourceRow {
  row: number;
  /** Identifies the computer: what the file says of tag and serial. */
  tag: string;
  serial: string | null;
  /** Lays the row over a record. */
  /** Its facts passed the schema whole when it was read, and are taken over as they are. */
  isChecked?: boolean;
  apply: (record: ComputerRecord) => ImportFault[];
}

export interface Source {
  rows: SourceRow[];
  faults: ImportFault[];
}

/** The rows of a file, whichever kind it is. */
export function sourceOfFile(fileName: string, bytes: Uint8Array, options: ImportOptions): Source {
  const { text, damaged } = decode(bytes, options.encoding);
  return isLines(fileName, text) ? linesSource(text) : tableSource(text, damaged, options);
}

function linesSource(text: string): Source {
  const faults: ImportFault[] = [];
  const rows = text
    .replace(/^\uFEFF/, "")
    .split(/\r?\n/)
    .flatMap((line, index): SourceRow[] => {
      if (line.trim() === "") return [];
      const row = index + 1;
      const reading = readLine(line);
      if (!reading.ok) {
        faults.push({ row, column: null, problem: reading.problem });
        return [];
      }
      const { record } = reading;
      return [
        {
          row,
          tag: record.tag.trim(),
          serial: record.facts.computer.serial,
          isChecked: !reading.bare,
          apply: (target) => {
            const tag = record.tag.trim() || target.tag;
            if (reading.bare) Object.assign(target, { tag, facts: laidOver(target.facts, record.facts) });
            else Object.assign(target, { ...record, tag });
            return [];
          },
        },
      ];
    });
  if (rows.length === 0 && faults.length === 0) faults.push({ row: null, column: null, problem: { code: "no-lines" } });
  return { rows, faults };
}

/** What the one knows, and where it knows nothing, what the other did. */
function laidOver(below: Facts, above: Facts): Facts {
  return assemble(new Map([...flatten(below), ...flatten(above)])).facts;
}

function tableSource(text: string, damaged: boolean, options: ImportOptions): Source {
  const table = readTable(text, options.delimiter, damaged);
  const mapping = mappingOf(options, table.header);
  const faults: ImportFault[] = [...table.faults];
  if (table.header.length > 0 && !mapping.includes("tag") && !mapping.includes("serial") && !mapping.includes("facts"))
    faults.push({
      row: 1,
      column: null,
      problem: { code: "no-column-tells" },
    });
  if (table.rows.length === 0 && faults.length === 0)
    faults.push({ row: null, column: null, problem: { code: "no-rows" } });
  const tagAt = mapping.indexOf("tag");
  const serialAt = mapping.indexOf("serial");
  const rows = table.rows.map((cells, index): SourceRow => {
    const row = index + 2;
    return {
      row,
      tag: (cells[tagAt] ?? "").trim(),
      serial: (cells[serialAt] ?? "").trim() || null,
      apply: (record) =>
        readRow(record, cells, table.header, mapping, options.emptyClears).map((fault) => ({ row, ...fault })),
    };
  });
  return { rows, faults };
}
