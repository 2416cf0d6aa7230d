import Papa from "papaparse";
import { dayOf } from "../../kernel/days";

/**
 * Calendars of a product's releases with the days on which their support ends, in the CSV form of Debian's
 * distro-info-data: a header of "version,codename,series,created,release,eol" and any further "eol-…" columns.
 */
export interface CalendarRelease {
  version: string | null;
  codename: string;
  series: string;
  created: string | null;
  release: string | null;
  /** Ends of support by their column, in the order of the file: "eol", "eol-lts". ISO dates. */
  ends: { name: string; date: string }[];
}

/** What is wrong with a calendar file. Lines are counted from 1. */
export type CalendarProblem =
  | { code: "columns-lacking"; lacking: string[]; needed: string[] }
  | { code: "too-many-releases"; most: number }
  | { code: "no-date"; line: number; column: string; text: string }
  | { code: "series-lacking"; line: number }
  | { code: "series-twice"; line: number; series: string; before: number }
  | { code: "no-release" };

export type CalendarReading =
  | { ok: true; releases: CalendarRelease[]; endNames: string[] }
  | { ok: false; problems: CalendarProblem[] };

const NEEDED = ["version", "codename", "series", "created", "release", "eol"];
const DATE = /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/;
/** A month without a day, as such files have for what is planned: its last day is meant for ends. */
const MONTH = /^\d{4}-(?:0[1-9]|1[0-2])$/;
const RELEASES_MAX = 2000;
const PROBLEMS_MAX = 50;

/** Reads a calendar file. All or nothing: each problem names its line. */
export function readCalendar(text: string): CalendarReading {
  const { data } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ""), { delimiter: ",", skipEmptyLines: true });
  const [header, ...rows] = data;
  const columns = (header ?? []).map((name) => name.trim().toLowerCase());
  const lacking = NEEDED.filter((name) => !columns.includes(name));
  if (lacking.length > 0)
    return {
      ok: false,
      problems: [{ code: "columns-lacking", lacking, needed: NEEDED }],
    };
  if (rows.length > RELEASES_MAX) return { ok: false, problems: [{ code: "too-many-releases", most: RELEASES_MAX }] };
  const endNames = columns.filter((name) => name === "eol" || name.startsWith("eol-"));
  const problems: CalendarProblem[] = [];
  const releases = rows.map((row, index): CalendarRelease => {
    const value = (name: string) => row[columns.indexOf(name)]?.trim() || null;
    const dateOf = (name: string): string | null => {
      const text = value(name);
      if (text === null) return null;
      if (isDate(text)) return text;
      if (MONTH.test(text)) return lastOfMonth(text);
      problems.push({ code: "no-date", line: index + 2, column: name, text: text.slice(0, 40) });
      return null;
    };
    const series = value("series");
    if (!series) problems.push({ code: "series-lacking", line: index + 2 });
    return {
      version: value("version"),
      codename: value("codename") ?? series ?? "",
      series: series ?? "",
      created: dateOf("created"),
      release: dateOf("release"),
      ends: endNames.flatMap((name) => {
        const date = dateOf(name);
        return date ? [{ name, date }] : [];
      }),
    };
  });
  const seen = new Map<string, number>();
  for (const [index, { series }] of releases.entries()) {
    const before = seen.get(series);
    if (before !== undefined && series)
      problems.push({ code: "series-twice", line: index + 2, series, before: before + 2 });
    seen.set(series, before ?? index);
  }
  if (releases.length === 0) problems.push({ code: "no-release" });
  return problems.length > 0
    ? { ok: false, problems: problems.slice(0, PROBLEMS_MAX) }
    : { ok: true, releases, endNames };
}

function isDate(text: string): boolean {
  return DATE.test(text) && new Date(`${text}T00:00:00Z`).toISOString().startsWith(text);
}

function lastOfMonth(month: string): string {
  const [year, number] = month.split("-").map(Number);
  return dayOf(new Date(Date.UTC(year as number, number as number, 0)));
}

/**
 * The release of a calendar that an installed version is: the same version, or the longest one that it begins with
 * ("12.5" is "12", "22.04" is "22.04 LTS"); else by series or code name.
 */
export function releaseOfVersion(releases: CalendarRelease[], version: string | null): CalendarRelease | null {
  if (version === null) return null;
  const wanted = version.trim().toLowerCase();
  const numberOf = (text: string) => text.toLowerCase().replace(/\s+lts$/, "");
  let best: CalendarRelease | null = null;
  let bestLength = 0;
  for (const release of releases) {
    const number = release.version === null ? "" : numberOf(release.version);
    if (wanted === release.series.toLowerCase() || wanted === release.codename.toLowerCase()) return release;
    const fits =
      number !== "" && (wanted === number || wanted.startsWith(`${number}.`) || wanted.startsWith(`${number} `));
    if (fits && number.length > bestLength) {
      best = release;
      bestLength = number.length;
    }
  }
  return best;
}

export interface SupportState {
  state: "supported" | "extended" | "ended" | "not-released" | "open";
  /** The end that counts next: the first not yet passed, else the last passed. */
  end: { name: string; date: string } | null;
}

/**
 * How a release stands on a day (ISO date). An end is the first day without support, as the reader of these files
 * (distro-info) counts. Past its plain end: extended support, if there is some.
 */
export function supportOn(release: CalendarRelease, day: string): SupportState {
  if (release.release !== null && release.release > day) return { state: "not-released", end: null };
  if (release.ends.length === 0) return { state: "open", end: null };
  const inOrder = [...release.ends].sort((a, b) => (a.date < b.date ? -1 : 1));
  const plain = release.ends.find((end) => end.name === "eol");
  if (plain && plain.date > day) return { state: "supported", end: plain };
  const next = inOrder.find((end) => end.date > day);
  return next ? { state: "extended", end: next } : { state: "ended", end: inOrder.at(-1) ?? null };
}
