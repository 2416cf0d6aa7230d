import { itemAt } from "../kernel/item-at";
/** What a name of an image can tell. */
export const NAME_PARTS = ["computer", "site", "system", "version", "date", "kind", "state"] as const;
type NamePart = (typeof NAME_PARTS)[number];
export type NameFacts = Partial<Record<NamePart, string | null>>;

/** A pattern of names: text between parts, as in "{computer} {date} {state}". */
export interface NamePattern {
  text: string;
  pieces: ({ part: NamePart } | { literal: string })[];
}

export type PatternProblem =
  | { code: "unknown-part"; part: string }
  | { code: "part-twice"; part: NamePart }
  | { code: "part-missing"; part: "computer" | "date" }
  | { code: "parts-touch"; parts: [NamePart, NamePart] }
  | { code: "not-in-a-file-name"; characters: string }
  | { code: "unclosed"; at: number };

/** Tells an image's computer and day years later, which is the least that a name must do. */
export const USUAL_PATTERN = "{computer} {date} {system} {version} {state}";

/** Characters that some file system, or the name's own reading, does not allow. Windows: "Naming Files, Paths, and Namespaces". */
const FORBIDDEN = /[\\/:*?"<>|\p{Cc}]/gu;

/** A pattern of parts in braces; refused where names by it could not be read back, or not be kept by a file system. */
export function compilePattern(
  text: string,
): { ok: true; pattern: NamePattern } | { ok: false; problems: PatternProblem[] } {
  const problems: PatternProblem[] = [];
  const pieces: NamePattern["pieces"] = [];
  const opened = text.split("{").length - 1;
  const whole = [...text.matchAll(/\{([^{}]*)\}/g)];
  if (whole.length !== opened || text.split("}").length - 1 !== opened)
    problems.push({ code: "unclosed", at: text.search(/[{}]/) });
  let at = 0;
  for (const match of whole) {
    const name = itemAt(match, 1).trim().toLowerCase();
    const part = NAME_PARTS.find((each) => each === name);
    if (match.index > at) pieces.push({ literal: text.slice(at, match.index) });
    at = match.index + match[0].length;
    if (!part) problems.push({ code: "unknown-part", part: itemAt(match, 1) });
    else if (pieces.some((piece) => "part" in piece && piece.part === part))
      problems.push({ code: "part-twice", part });
    else {
      const before = pieces.at(-1);
      if (before && "part" in before) problems.push({ code: "parts-touch", parts: [before.part, part] });
      pieces.push({ part });
    }
  }
  if (at < text.length) pieces.push({ literal: text.slice(at) });
  for (const part of ["computer", "date"] as const)
    if (!pieces.some((piece) => "part" in piece && piece.part === part)) problems.push({ code: "part-missing", part });
  const literals = pieces.flatMap((piece) => ("literal" in piece ? [piece.literal] : [])).join("");
  const forbidden = literals.match(FORBIDDEN);
  if (forbidden) problems.push({ code: "not-in-a-file-name", characters: [...new Set(forbidden)].join(" ") });
  return problems.length > 0 ? { ok: false, problems } : { ok: true, pattern: { text, pieces } };
}

/** A name by a pattern. Parts that are not known are left out, with the text before them. */
export function nameBy({ pieces }: NamePattern, facts: NameFacts): string {
  // What stands before the first part stays, whichever part comes first.
  const [first] = pieces;
  const lead = first && "literal" in first ? first.literal : "";
  let name = lead;
  let pending = "";
  for (const piece of lead ? pieces.slice(1) : pieces) {
    if ("literal" in piece) {
      pending += piece.literal;
      continue;
    }
    const value = facts[piece.part]?.replace(FORBIDDEN, "_").trim();
    if (value) name += (name === lead ? "" : pending) + value;
    pending = "";
  }
  return (name + (pending.trim() === "" ? "" : pending)).replace(/[. ]+$/, "");
}

const NEXT_MOST = 2000;

/** What files of images end in, several at once: no part of what their names say. Common practice. */
const ENDINGS = /(?:\.(?:img|iso|raw|dd|bin|wim|swm|esd|vhd|vhdx|qcow2|vmdk|tar|gz|zst|zstd|xz|lz4|bz2|gpg|\d{3}))+$/i;

/**
 * What a name says by a pattern: each way of reading it that there is, the ones first that name a computer that is known,
 * then those that read more. A name that leaves out parts from the end is read too. `known`: tags of computers.
 */
export function readName({ pieces }: NamePattern, told: string, known: Iterable<string> = []): NameFacts[] {
  const tags = new Set([...known].map((tag) => tag.toLowerCase()));
  const name = told.replace(ENDINGS, "");
  const found: NameFacts[] = [];
  const read = (at: number, from: number, facts: NameFacts): void => {
    if (found.length >= NEXT_MOST) return;
    if (from === name.length) {
      if (facts.computer && facts.date) found.push(facts);
      return;
    }
    const piece = pieces[at];
    if (!piece) return;
    if ("literal" in piece) {
      if (name.startsWith(piece.literal, from)) read(at + 1, from + piece.literal.length, facts);
      return;
    }
    for (const value of valuesAt(piece.part, name, from))
      read(at + 1, from + value.length, { ...facts, [piece.part]: value });
  };
  read(0, 0, {});
  const isKnown = ({ computer }: NameFacts) => Number(tags.has(computer?.toLowerCase() ?? ""));
  return found
    .map((facts) => ({ ...facts, date: facts.date ? isoDay(facts.date) : null }))
    .sort(
      (a, b) =>
        isKnown(b) - isKnown(a) ||
        Object.keys(b).length - Object.keys(a).length ||
        oddness(a) - oddness(b) ||
        (b.system ?? "").length - (a.system ?? "").length,
    );
}

/**
 * How little a reading is like what people write: a version begins with a number, and what stands around it does not; so
 * that of "Gannet Desk 11.4 clean, with all updates" the system has two words, and the state four. Common practice.
 */
function oddness({ system, version, state }: NameFacts): number {
  const isOdd = [
    version != null && !/^v?\d/i.test(version),
    version != null && /\s/.test(version),
    system != null && /\s\d[\d.]*$/.test(system),
    state != null && /^v?\d/i.test(state),
  ];
  return isOdd.filter(Boolean).length;
}

/** What could stand for a part at a place in a name, shortest first. */
function valuesAt(part: NamePart, name: string, from: number): string[] {
  if (part === "date") {
    const day = /^(?:\d{4}-\d{2}-\d{2}|\d{8})/.exec(name.slice(from))?.[0];
    return day && isoDay(day) !== null ? [day] : [];
  }
  if (part === "kind") return ["full", "incremental", "differential"].filter((kind) => name.startsWith(kind, from));
  const values: string[] = [];
  for (let end = from + 1; end <= name.length; end++) {
    const value = name.slice(from, end);
    if (value === value.trim()) values.push(value);
  }
  return values;
}

/** "2026-10-30" or "20261030" as the former; null where there is no such day. */
function isoDay(text: string): string | null {
  const digits = text.replaceAll("-", "");
  const day = `${digits.slice(0, 4)}-${digits.slice(4, 6)}-${digits.slice(6)}`;
  const time = Date.parse(`${day}T00:00:00Z`);
  return !Number.isNaN(time) && new Date(time).toISOString().startsWith(day) ? day : null;
}
