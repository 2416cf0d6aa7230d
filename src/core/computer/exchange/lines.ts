import { z } from "zod";
import { orderedProvenance, provenanceSchema } from "../facts/merge";
import { checkFacts, FACTS_SCHEMA } from "../facts/schema";
import { type ComputerRecord, emptyRecord, lean } from "./columns";
import type { LineProblem } from "./faults";

/** `creel.computer/1`: one computer a line (JSON lines), with what its facts do not hold. */
export const COMPUTER_SCHEMA = "creel.computer/1";

export const computerLineSchema = z.object({
  schema: z.literal(COMPUTER_SCHEMA),
  tag: z.string(),
  name: z.string().max(120).nullish(),
  site: z.string().max(120).nullish(),
  note: z.string().max(4000).nullish(),
  retired: z.iso.datetime({ offset: true }).nullish(),
  /** `creel.facts/1`. */
  facts: z.unknown(),
  provenance: provenanceSchema.nullish(),
});

/** `bare`: facts alone, which say nothing of name, place and note. */
export type LineReading = { ok: true; record: ComputerRecord; bare: boolean } | { ok: false; problem: LineProblem };

/** Reads a line: `creel.computer/1`, or a bare `creel.facts/1` with its tag. */
export function readLine(line: string): LineReading {
  let value: unknown;
  try {
    value = JSON.parse(line);
  } catch (error) {
    const told = error instanceof Error ? error.message : "unreadable";
    return { ok: false, problem: { code: "line-not-json", told } };
  }
  const schema = typeof value === "object" && value !== null && "schema" in value ? value.schema : undefined;
  if (schema === FACTS_SCHEMA) {
    const facts = checkFacts(value);
    if (!facts.ok) return { ok: false, problem: { code: "line-no-facts", isBare: true, problem: facts.problem } };
    return { ok: true, bare: true, record: { ...emptyRecord(facts.facts.computer.tag ?? ""), facts: facts.facts } };
  }
  const parsed = computerLineSchema.safeParse(value);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const at = issue?.path.join(".") || null;
    const wanted = [COMPUTER_SCHEMA, FACTS_SCHEMA];
    return { ok: false, problem: { code: "line-unfit", at, told: issue?.message ?? "it does not fit", wanted } };
  }
  const facts = checkFacts(parsed.data.facts);
  if (!facts.ok) return { ok: false, problem: { code: "line-no-facts", isBare: false, problem: facts.problem } };
  const { tag, name, site, note, retired, provenance } = parsed.data;
  return {
    ok: true,
    bare: false,
    record: {
      tag,
      name: name ?? null,
      site: site ?? null,
      note: note ?? null,
      retired: retired ? new Date(retired).toISOString() : null,
      facts: facts.facts,
      provenance: provenance ?? null,
    },
  };
}

/** A computer as one line of JSON, with its line feed; what is empty is left out. */
export function writeLine(record: ComputerRecord): string {
  const { facts, provenance, ...own } = record;
  const ordered = provenance && orderedProvenance(provenance);
  return `${JSON.stringify(lean({ schema: COMPUTER_SCHEMA, ...own, facts, provenance: ordered }))}\n`;
}
