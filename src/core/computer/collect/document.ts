import type { FactSource, Observation } from "../facts/merge";
import { flatten, type PartialFacts } from "../facts/paths";

/** A dropped or pasted document: a tool's output as it is, a variable's file, a facts file. */
export interface Document {
  /** Its file name, or "" where it was pasted. */
  name: string;
  bytes: Uint8Array;
  /** When it was made, as far as the file tells; ISO 8601 UTC. */
  at: string;
}

/** What a document was recognised as. */
export type DocumentKind =
  | "facts"
  | "lsblk"
  | "sfdisk-json"
  | "sfdisk-dump"
  | "dmidecode"
  | "lspci"
  | "efi-variable"
  | "signature-list"
  | "os-release"
  | "mokutil";

export type DocumentReading =
  | { ok: true; kind: DocumentKind; observation: Observation; notes: string[] }
  | { ok: false; problem: string };

/** What a reader of one kind gives: facts, the lists that it tells to the end, and remarks. */
export interface Told {
  facts: PartialFacts;
  complete?: string[];
  /** Paths whose numbers the tool rounded. */
  rounded?: string[];
  notes?: string[];
  /** Where the document itself says when and by what it was made. */
  at?: string | null;
  by?: FactSource["kind"];
}

export function told(document: Document, kind: DocumentKind, told: Told, title: string): DocumentReading {
  const name = document.name ? `${title} (${document.name})` : title;
  return {
    ok: true,
    kind,
    observation: {
      source: { kind: told.by ?? "tool", name: name.slice(0, 200), at: told.at ?? document.at, by: null },
      values: [...flatten(told.facts)],
      complete: told.complete ?? [],
      rounded: told.rounded ?? [],
    },
    notes: told.notes ?? [],
  };
}

export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** A text that says something: blanks and the usual fillers of firmware tables say nothing. */
export function said(value: unknown, max = 200): string | null {
  if (typeof value !== "string" && typeof value !== "number") return null;
  const text = String(value).trim().replace(/\s+/g, " ");
  return text === "" || FILLERS.test(text) ? null : text.slice(0, max);
}

/** What makers leave in firmware tables instead of a value (common practice). */
const FILLERS =
  /^(to be filled by o\.?e\.?m\.?|default string|system (manufacturer|product name|serial number|version)|not (specified|available|applicable|present)|none|n\/a|unknown|o\.?e\.?m\.?|invalid|empty|x+|0+|123456789|chassis serial number|base board serial number)$/i;

/** A whole, not negative number of bytes from a number or digits, or null. */
export function wholeNumber(value: unknown): number | null {
  const number = typeof value === "string" && /^\d+$/.test(value.trim()) ? Number(value) : value;
  return typeof number === "number" && Number.isSafeInteger(number) && number >= 0 ? number : null;
}

/** A flag that tools write as a boolean, a digit or a word. */
export function flag(value: unknown): boolean | null {
  if (typeof value === "boolean") return value;
  if (value === 1 || value === "1" || value === "true") return true;
  if (value === 0 || value === "0" || value === "false") return false;
  return null;
}
