import { itemAt } from "../kernel/item-at";
import type { StoreFile } from "./grouping";

/** A folder listing as some tool printed it, and what of it could not be read. */
export interface ListingReading {
  files: StoreFile[];
  /** Which tool's form it was taken for; null where it is none of these. */
  form: "find" | "ls" | "dir" | "table" | null;
  /** Lines that look like files and were not understood. */
  left: number;
  /** Free on the volume, in bytes, where the tool told it at the end. */
  freeBytes: number | null;
}

const FILES_MAX = 200_000;

/**
 * Reads a listing that was dropped in: `find -printf '%s %TY-%Tm-%Td %TH:%TM %p\n'` (sizes, times and paths in any such
 * order), `ls -lR` with ISO times or without, `dir /s`, or a table of path, bytes and time. Times without a zone are taken
 * as UTC. GNU findutils and coreutils manuals; `dir`: common practice.
 */
export function readListing(text: string): ListingReading {
  const lines = text.replace(/^\uFEFF/, "").split(/\r?\n/);
  // Lines of tools can look like rows of a table; those of a table look like none of these.
  const tools = [readFind(lines), readLs(lines), readDir(lines)];
  const told = tools.reduce((top, each) => (each.files.length > top.files.length ? each : top));
  const best = told.files.length > 0 ? told : readTable(lines);
  return best.files.length === 0 ? { files: [], form: null, left: 0, freeBytes: null } : best;
}

function timeOf(day: string, clock: string): string | null {
  const time = Date.parse(`${day}T${clock}Z`);
  return Number.isNaN(time) ? null : new Date(time).toISOString();
}

const cleaned = (path: string) => path.replaceAll("\\", "/").replace(/^\.?\/+/, "");

function readFind(lines: string[]): ListingReading {
  const reading: ListingReading = { files: [], form: "find", left: 0, freeBytes: null };
  for (const line of lines.slice(0, FILES_MAX)) {
    const match = /^\s*(\d+)\s+(\d{4}-\d{2}-\d{2})[ T](\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?)\S*\s+(\S.*)$/.exec(line);
    if (!match) {
      if (/^\s*\d+\s+\S/.test(line)) reading.left++;
      continue;
    }
    const [, bytes, day, clock, path] = match as unknown as [string, string, string, string, string];
    reading.files.push({ path: cleaned(path), bytes: Number(bytes), modified: timeOf(day, clock.slice(0, 12)) });
  }
  return reading;
}

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

function readLs(lines: string[]): ListingReading {
  const reading: ListingReading = { files: [], form: "ls", left: 0, freeBytes: null };
  let folder = "";
  for (const line of lines.slice(0, FILES_MAX)) {
    const head = /^(\S.*):$/.exec(line);
    if (head) {
      folder = cleaned(itemAt(head, 1)).replace(/^\.$/, "");
      continue;
    }
    if (!line.startsWith("-")) continue;
    const match =
      /^-\S+\s+\d+\s+\S+\s+\S+\s+(\d+)\s+(?:(\d{4}-\d{2}-\d{2})\s+(\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?)(?:\s+[+-]\d{4})?|([A-Za-z]{3})\s+(\d{1,2})\s+(\d{4}|\d{2}:\d{2}))\s(.+)$/.exec(
        line,
      );
    if (!match) {
      reading.left++;
      continue;
    }
    const [, bytes, day, clock, month, date, year, name] = match;
    const path = folder ? `${folder}/${name}` : (name as string);
    reading.files.push({
      path,
      bytes: Number(bytes),
      modified: day ? timeOf(day, (clock ?? "").slice(0, 12)) : monthDay(month, date, year),
    });
  }
  return reading;
}

/** Without a year it is of the last twelve months, which nobody knows later: then the time is left out. */
function monthDay(month: string | undefined, date: string | undefined, year: string | undefined): string | null {
  const at = MONTHS.indexOf((month ?? "").toLowerCase());
  if (at < 0 || !year || year.includes(":")) return null;
  return new Date(Date.UTC(Number(year), at, Number(date))).toISOString();
}

function readDir(lines: string[]): ListingReading {
  const reading: ListingReading = { files: [], form: "dir", left: 0, freeBytes: null };
  let root: string | null = null;
  let folder = "";
  for (const line of lines.slice(0, FILES_MAX)) {
    const head = /^ .*?\b([A-Za-z]:\\.*)$/.exec(line);
    if (head && !/^\s*\d{2,4}[./-]/.test(line)) {
      const path = itemAt(head, 1).trim();
      root ??= path;
      folder = cleaned(path.startsWith(root) ? path.slice(root.length) : path);
      continue;
    }
    const free =
      /^\s+\d+\s+\S.*?\s([\d.,\u00a0\u202f\u2019 ]*\d)\s+(?:bytes|octets)\s+(?:free|frei|libres?|disponibili|available)\s*$/i.exec(
        line,
      );
    if (free) reading.freeBytes = Number(itemAt(free, 1).replace(/\D/g, ""));
    const match =
      /^(\d{4}-\d{2}-\d{2}|\d{2}[./]\d{2}[./]\d{4})\s+(\d{2}:\d{2})(?:\s?([AP]M))?\s+([\d.,\u00a0\u202f ]*\d)\s(\S.*)$/i.exec(
        line,
      );
    if (!match) continue;
    const [, date, clock, half, size, name] = match as unknown as [
      string,
      string,
      string,
      string | undefined,
      string,
      string,
    ];
    const day = dayOfDate(date, half !== undefined);
    const hours = Number(clock.slice(0, 2));
    const late =
      half?.toUpperCase() === "PM" && hours < 12 ? 12 : half?.toUpperCase() === "AM" && hours === 12 ? -12 : 0;
    const time = day && timeOf(day, `${String(hours + late).padStart(2, "0")}${clock.slice(2)}`);
    reading.files.push({
      path: folder ? `${folder}/${name}` : name,
      bytes: Number(size.replace(/\D/g, "")),
      modified: time,
    });
  }
  return reading;
}

/** Days with stops are day first, with slashes and a half of the day month first; with slashes alone either, which is not told. */
function dayOfDate(date: string, isHalved: boolean): string | null {
  if (/^\d{4}/.test(date)) return date;
  const [first, second, year] = date.split(/[./]/) as [string, string, string];
  if (date.includes(".")) return `${year}-${second}-${first}`;
  if (isHalved || Number(second) > 12) return `${year}-${first}-${second}`;
  return Number(first) > 12 ? `${year}-${second}-${first}` : null;
}

function readTable(lines: string[]): ListingReading {
  const reading: ListingReading = { files: [], form: "table", left: 0, freeBytes: null };
  for (const line of lines.slice(0, FILES_MAX)) {
    const cells = line.split(/[\t;,]/).map((cell) => cell.trim().replace(/^"|"$/g, ""));
    const at = cells.findIndex((cell) => /^\d+$/.test(cell));
    const path = cells.find(
      (cell, index) => index !== at && /[A-Za-z]/.test(cell) && !/^\d{4}-\d{2}-\d{2}T?/.test(cell),
    );
    if (cells.length < 2 || at < 0 || !path) continue;
    const time = cells
      .map((cell) => /^(\d{4}-\d{2}-\d{2})(?:[ T](\d{2}:\d{2}(?::\d{2})?))?/.exec(cell))
      .find((match) => match);
    reading.files.push({
      path: cleaned(path),
      bytes: Number(cells[at]),
      modified: time ? timeOf(itemAt(time, 1), time[2] ?? "00:00") : null,
    });
  }
  return reading;
}
