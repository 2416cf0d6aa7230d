import type { ListFault } from "../../formats/efi-signature-list";
import type { FactSource, Observation } from "../facts/merge";
import { flatten, type PartialFacts } from "../facts/paths";
import type { FactsProblem } from "../facts/schema";

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
  | "cim"
  | "lsblk"
  | "sfdisk-json"
  | "sfdisk-dump"
  | "dmidecode"
  | "lspci"
  | "efi-variable"
  | "signature-list"
  | "os-release"
  | "mokutil";

/** Why a document is not taken in. */
export type DocumentProblem =
  | { code: "empty" }
  | { code: "too-large"; mostBytes: number }
  | { code: "not-text" }
  | { code: "begins-as-json"; told: string }
  | { code: "no-facts-file"; problem: FactsProblem }
  | { code: "json-of-another-kind" }
  | { code: "not-recognised" }
  | { code: "list-damaged"; fault: ListFault }
  | { code: "list-unnamed" }
  | { code: "variable-length"; name: string; bytes: number }
  | { code: "start-order-odd" }
  | { code: "start-entry-cut"; entry: string };

/** What is to be known of one that is. */
export type DocumentNote =
  | { code: "sizes-rounded" }
  | { code: "devices-nameless"; count: number }
  | { code: "no-system-named" }
  | { code: "table-of-no-device" }
  | { code: "no-dmi-table" }
  | { code: "no-dmi-block" }
  | { code: "digests-only" }
  | { code: "variable-not-kept"; name: string };

export type DocumentReading =
  | { ok: true; kind: DocumentKind; observation: Observation; notes: DocumentNote[] }
  | { ok: false; problem: DocumentProblem };

/** What a reader of one kind gives: facts, the lists that it tells to the end, and remarks. */
export interface Told {
  facts: PartialFacts;
  complete?: string[];
  /** Paths whose numbers the tool rounded. */
  rounded?: string[];
  notes?: DocumentNote[];
  /** Where the document itself says when and by what it was made. */
  at?: string | null;
  by?: FactSource["kind"];
}

/** A reading of one document: who says it, when, and the facts by path. Names are cut to what is kept of them. */
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
