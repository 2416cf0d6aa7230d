import { eq, isNull, type SQL } from "drizzle-orm";
import { z } from "zod";
import { editedProvenance, type FactSource, NO_PROVENANCE, type Provenance } from "@/core/computer/facts/merge";
import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import { equalJson } from "@/core/kernel/equal-json";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ComputerId } from "../db/ids";
import { computerFacts, computers, sites } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";
import { type Action, difference } from "./events";
import { factsOfStored } from "./list-store";
import { staleResult } from "./versioned";
import { type ComputerWrite, writeComputers } from "./write-computers";

const blankToNull = (value: string | null | undefined) =>
  value === undefined || value === null || value.trim() === "" ? null : value.trim();

export const tagSchema = z
  .string()
  .trim()
  .min(1, "A tag is needed: it is what is printed on the thing.")
  .max(60, "A tag has at most 60 characters.")
  .regex(
    /^[\p{L}\p{N}._-]+$/u,
    "A tag has letters, digits, dots, dashes and underscores only, so that it can be printed as a code.",
  );

export const computerInputSchema = z.object({
  tag: tagSchema,
  name: z.string().max(120, "A name has at most 120 characters.").nullish().transform(blankToNull),
  siteId: z.number().int().nullable(),
  note: z.string().max(4000, "A note has at most 4,000 characters.").nullish().transform(blankToNull),
  facts: factsSchema,
});
export type ComputerInput = z.infer<typeof computerInputSchema>;

export type ComputerRow = typeof computers.$inferSelect;

export interface ComputerDetail {
  row: ComputerRow;
  siteName: string | null;
  facts: Facts;
  /** Where each fact is from. */
  provenance: Provenance;
}

/** What the event log keeps of a computer, one fact group a field. */
export function snapshot(input: ComputerInput, retiredAt: Date | null = null): Record<string, unknown> {
  const { schema: _schema, computer, collected: _collected, ...facts } = input.facts;
  const { tag: _tag, ...identity } = computer;
  const { tag, name, siteId, note } = input;
  return { tag, name, siteId, note, retiredAt: retiredAt?.toISOString() ?? null, ...identity, ...facts };
}

/** The mark of what a person types. */
export function handSource(context: Context): FactSource {
  return { kind: "hand", name: "form", at: context.now().toISOString(), by: context.person.name };
}

/** Facts carry the tag that the computer has here, so that a facts file of it finds it again. */
function tagged(input: ComputerInput): ComputerInput {
  return { ...input, facts: { ...input.facts, computer: { ...input.facts.computer, tag: input.tag } } };
}

export interface NewComputer {
  input: ComputerInput;
  provenance: Provenance;
  action: Action;
  note: string | null;
}

/** Adds a computer. Problems: `invalid`, `taken`, `not-found`. */
export async function addComputer(context: Context, input: unknown): Promise<Result<ComputerRow["id"]>> {
  const parsed = checked(computerInputSchema, input);
  if (!parsed.ok) return parsed;
  const whole = tagged(parsed.value);
  const provenance = editedProvenance(null, NO_PROVENANCE, whole.facts, handSource(context));
  return insertComputer(context, { input: whole, provenance, action: "added", note: null });
}

/** Adds a computer whose facts have marks of their own. */
export function insertComputer(
  context: Context,
  { input, provenance, action, note }: NewComputer,
): Promise<Result<number>> {
  const whole = tagged(input);
  return act(context, { field: "tag", value: whole.tag }, async ({ db: tx }) => {
    const write: ComputerWrite = {
      id: null,
      version: 1,
      retiredAt: null,
      ...whole,
      provenance,
      event: { action, before: null, after: snapshot(whole), note },
    };
    const ids = await writeComputers(tx, context, [write]);
    return ok(ids.get(whole.tag) as number);
  });
}

/** What an act makes of a computer: its next state, and what the event log says. */
export interface ComputerChange {
  input: ComputerInput;
  provenance: Provenance;
  retiredAt?: Date | null;
  action: Action;
  note?: string | null;
}

/**
 * Changes a computer from the version that the editor saw. What makes no difference writes nothing. Problems:
 * `invalid`, `taken`, `stale`, `not-found`, and those of the act itself.
 */
export function changeComputer(
  context: Context,
  id: ComputerId,
  version: number,
  changeOf: (current: ComputerDetail, tx: Queries) => Result<ComputerChange> | Promise<Result<ComputerChange>>,
  tag = "",
): Promise<Result<number>> {
  return act(context, { field: "tag", value: tag }, async ({ db: tx }) => {
    await tx.select({ id: computers.id }).from(computers).where(eq(computers.id, id)).for("update");
    const current = await readDetail(tx, eq(computers.id, id));
    if (!current) return fail({ code: "not-found", what: "computer" });
    const changed = await changeOf(current, tx);
    if (!changed.ok) return changed;
    const { provenance, retiredAt = current.row.retiredAt, action, note = null } = changed.value;
    const input = tagged(changed.value.input);
    const change = difference(snapshot(inputOf(current), current.row.retiredAt), snapshot(input, retiredAt));
    if (!change && sameMarks(provenance, current.provenance)) return ok(current.row.version);
    if (current.row.version !== version) return staleResult(tx, computers, { entity: "computer", id, version });
    if (!change) {
      // Only the marks are new: what is known is confirmed, which is no change to be told of.
      await tx.update(computerFacts).set({ provenance }).where(eq(computerFacts.computerId, id));
      return ok(version);
    }
    await writeComputers(tx, context, [
      { id, version: version + 1, ...input, retiredAt, provenance, event: { action, ...change, note } },
    ]);
    return ok(version + 1);
  });
}

function sameMarks(a: Provenance, b: Provenance): boolean {
  return equalJson(a, b);
}

/** Saves a computer as edited from `version`: what differs is marked as set by hand. */
export async function saveComputer(
  context: Context,
  id: ComputerId,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(computerInputSchema, input);
  if (!parsed.ok) return parsed;
  const whole = tagged(parsed.value);
  return changeComputer(
    context,
    id,
    version,
    (current) =>
      ok({
        input: whole,
        provenance: editedProvenance(current.facts, current.provenance, whole.facts, handSource(context)),
        action: "changed",
      }),
    whole.tag,
  );
}

/** Takes a computer out of service, or back. Nothing is deleted. */
export function retireComputer(
  context: Context,
  id: ComputerId,
  version: number,
  retired: boolean,
): Promise<Result<number>> {
  return changeComputer(context, id, version, (current) =>
    ok({
      input: inputOf(current),
      provenance: current.provenance,
      retiredAt: retired ? (current.row.retiredAt ?? context.now()) : null,
      action: retired ? "retired" : "brought back",
    }),
  );
}

export function inputOf(detail: ComputerDetail): ComputerInput {
  const { tag, name, siteId, note } = detail.row;
  return { tag, name, siteId, note, facts: detail.facts };
}

export function getComputer(context: Context, tag: string): Promise<ComputerDetail | null> {
  return readDetail(context.db, eq(computers.tag, tag));
}

/** The computer that facts speak of: by tag, else by a serial that only one has. */
export async function findComputer(
  context: Context,
  { tag, serial }: { tag: string | null; serial: string | null },
): Promise<ComputerDetail | null> {
  const byTag = tag ? await readDetail(context.db, eq(computers.tag, tag)) : null;
  if (byTag || !serial) return byTag;
  const rows = await context.db
    .select({ id: computers.id })
    .from(computers)
    .where(eq(computers.serial, serial))
    .limit(2);
  const [only] = rows;
  return rows.length === 1 && only ? readDetail(context.db, eq(computers.id, only.id)) : null;
}

async function readDetail(queries: Queries, where: SQL): Promise<ComputerDetail | null> {
  const [found] = await queries
    .select({ row: computers, siteName: sites.name, stored: computerFacts.facts, provenance: computerFacts.provenance })
    .from(computers)
    .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(where);
  if (!found) return null;
  const { row, siteName, stored, provenance } = found;
  const [facts] = await factsOfStored(queries, [stored]);
  return { row, siteName, facts: facts as Facts, provenance };
}

/** Tags and names of computers in service, for a field that completes them; at most `limit`. */
export function tagsInService(context: Context, limit = 2000): Promise<{ tag: string; name: string | null }[]> {
  return context.db
    .select({ tag: computers.tag, name: computers.name })
    .from(computers)
    .where(isNull(computers.retiredAt))
    .orderBy(computers.tag)
    .limit(limit);
}
