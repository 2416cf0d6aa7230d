import { and, asc, eq, getTableColumns, inArray, isNull, sql } from "drizzle-orm";
import { z } from "zod";
import { editedProvenance } from "@/core/computer/facts/merge";
import { type Facts, FORMS, factsSchema } from "@/core/computer/facts/schema";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { BatchId, ComputerId, SiteId } from "../db/ids";
import { inParts } from "../db/in-parts";
import { insertedId, nameOf } from "../db/results";
import { batches, computerFacts, computers, events, sites } from "../db/schema";
import { type ComputerInput, handSource, snapshot } from "../inventory/computers";
import { type Action, difference, recordEvents, withDifference } from "../inventory/events";
import { factsOfStored, unpacked } from "../inventory/list-store";
import { type ComputerWrite, WRITE_CHUNK, writeComputers } from "../inventory/write-computers";
import { checked, fail, ok, type Result, refused } from "../problems";
import { computerFilterSchema, whereOf } from "./computer-list";

const onOff = z.enum(["on", "off"]).nullable();

/** One thing that is set on many computers; null: not known. */
const bulkChangeSchema = z.discriminatedUnion("field", [
  z.object({ field: z.literal("siteId"), value: z.number().int().nullable() }),
  z.object({ field: z.literal("form"), value: z.enum(FORMS).nullable() }),
  z.object({ field: z.literal("make"), value: z.string().trim().max(200).nullable() }),
  z.object({ field: z.literal("model"), value: z.string().trim().max(200).nullable() }),
  z.object({ field: z.literal("firmwareVersion"), value: z.string().trim().max(200).nullable() }),
  z.object({ field: z.literal("legacyMode"), value: z.enum(["on", "off", "absent", "both"]).nullable() }),
  z.object({ field: z.literal("secureBoot"), value: z.enum(["on", "off", "setup", "absent"]).nullable() }),
  z.object({ field: z.literal("fastBoot"), value: onOff }),
  z.object({ field: z.literal("usbStart"), value: onOff }),
  z.object({ field: z.literal("setupKey"), value: z.string().trim().max(40).nullable() }),
  z.object({ field: z.literal("startMenuKey"), value: z.string().trim().max(40).nullable() }),
  z.object({ field: z.literal("retired"), value: z.boolean() }),
]);
export type BulkChange = z.infer<typeof bulkChangeSchema>;

/** Which computers: those that are ticked, or all that a filter finds. */
const selectionSchema = z.union([
  z.object({ ids: z.array(z.number().int()).min(1, "No computer is chosen.").max(20_000) }),
  z.object({ filter: computerFilterSchema }),
]);
export type Selection = z.infer<typeof selectionSchema>;

export interface BulkPreview {
  chosen: number;
  changes: number;
  /** How many have each value now. */
  now: { value: string | number | boolean | null; count: number }[];
  /** Facts that a person or a tool set otherwise and that would be set by hand now. */
  sample: { tag: string; name: string | null; before: unknown; after: unknown }[];
}

interface Current {
  id: ComputerId;
  version: number;
  retiredAt: Date | null;
  input: ComputerInput;
  provenance: (typeof computerFacts.$inferSelect)["provenance"];
}

async function currentOf(queries: Queries, ids: number[], lock: boolean): Promise<Current[]> {
  const query = queries
    .select({ row: computers, facts: computerFacts.facts, provenance: computerFacts.provenance })
    .from(computers)
    .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
    .where(inArray(computers.id, ids))
    .orderBy(asc(computers.id));
  const rows = await (lock ? query.for("update") : query);
  const facts = await factsOfStored(
    queries,
    rows.map((each) => each.facts),
  );
  return rows.map(({ row, provenance }, index) => ({
    id: row.id,
    version: row.version,
    retiredAt: row.retiredAt,
    input: { tag: row.tag, name: row.name, siteId: row.siteId, note: row.note, facts: facts[index] as Facts },
    provenance,
  }));
}

async function idsOf(context: Context, selection: Selection): Promise<number[]> {
  const where = "ids" in selection ? inArray(computers.id, selection.ids) : await whereOf(context, selection.filter);
  const rows = await context.db.select({ id: computers.id }).from(computers).where(where).orderBy(asc(computers.tag));
  return rows.map((row) => row.id);
}

/** The value that a bulk change would set, as it is now. */
function valueNow({ input, retiredAt }: Current, field: BulkChange["field"]): string | number | boolean | null {
  const { computer, firmware } = input.facts;
  switch (field) {
    case "siteId":
      return input.siteId;
    case "form":
    case "make":
    case "model":
      return computer[field];
    case "firmwareVersion":
      return firmware.version;
    case "secureBoot":
      return firmware.secureBoot?.state ?? null;
    case "legacyMode":
    case "fastBoot":
    case "usbStart":
      return firmware[field];
    case "setupKey":
      return firmware.keys?.setup ?? null;
    case "startMenuKey":
      return firmware.keys?.startMenu ?? null;
    case "retired":
      return retiredAt !== null;
  }
}

const NO_SECURE_BOOT: NonNullable<Facts["firmware"]["secureBoot"]> = {
  ...{ state: null, pk: null, kek: null },
  ...{ db: null, dbx: null, sbatLevel: null },
};
const NO_KEYS: NonNullable<Facts["firmware"]["keys"]> = { setup: null, startMenu: null, save: null };

/** Facts with the change in them; the place and retirement are no facts. */
function factsWith(facts: Facts, change: BulkChange): Facts {
  const { computer, firmware } = facts;
  const value = change.value === "" ? null : change.value;
  const withFirmware = (more: object): Facts => ({ ...facts, firmware: { ...firmware, ...more } });
  // What is set passed the schema of the change, and the rest that of facts when it was read.
  switch (change.field) {
    case "form":
    case "make":
    case "model":
      return { ...facts, computer: { ...computer, [change.field]: value } };
    case "firmwareVersion":
      return withFirmware({ version: value });
    case "secureBoot":
      return withFirmware({ secureBoot: { ...(firmware.secureBoot ?? NO_SECURE_BOOT), state: value } });
    case "legacyMode":
    case "fastBoot":
    case "usbStart":
      return withFirmware({ [change.field]: value });
    case "setupKey":
      return withFirmware({ keys: { ...(firmware.keys ?? NO_KEYS), setup: value } });
    case "startMenuKey":
      return withFirmware({ keys: { ...(firmware.keys ?? NO_KEYS), startMenu: value } });
    default:
      return facts;
  }
}

const READ_CHUNK = 500;
const SAMPLE = 8;

/** What a change over many would do. Writes nothing. */
export async function previewBulk(context: Context, selection: unknown, change: unknown): Promise<Result<BulkPreview>> {
  const [chosen, wanted] = [checked(selectionSchema, selection), checked(bulkChangeSchema, change)];
  if (!chosen.ok) return chosen;
  if (!wanted.ok) return wanted;
  const ids = await idsOf(context, chosen.value);
  const counts = new Map<string | number | boolean | null, number>();
  const preview: BulkPreview = { chosen: ids.length, changes: 0, now: [], sample: [] };
  for (let at = 0; at < ids.length; at += READ_CHUNK) {
    for (const current of await currentOf(context.db, ids.slice(at, at + READ_CHUNK), false)) {
      const before = valueNow(current, wanted.value.field);
      counts.set(before, (counts.get(before) ?? 0) + 1);
      if (before === wanted.value.value) continue;
      preview.changes++;
      if (preview.sample.length < SAMPLE)
        preview.sample.push({ tag: current.input.tag, name: current.input.name, before, after: wanted.value.value });
    }
  }
  preview.now = [...counts]
    .map(([value, count]) => ({ value, count }))
    .sort((a, b) => b.count - a.count)
    .slice(0, 20);
  return ok(preview);
}

/** Sets one thing on many computers, as one act that can be undone. Gives the act's id and how many it changed. */
export async function bulkChange(
  context: Context,
  selection: unknown,
  change: unknown,
): Promise<Result<{ batchId: BatchId; changed: number }>> {
  const [chosen, wanted] = [checked(selectionSchema, selection), checked(bulkChangeSchema, change)];
  if (!chosen.ok) return chosen;
  if (!wanted.ok) return wanted;
  const ids = await idsOf(context, chosen.value);
  return act(context, { field: "tag", value: "" }, async ({ db: tx }) => {
    const summary = await summaryOf(tx, wanted.value);
    const batchId = await addBatch(context, tx, summary);
    const changed = isOfRow(wanted.value)
      ? await changeRows({ ...context, db: tx }, ids, wanted.value, { batchId, note: summary })
      : await changeFacts({ ...context, db: tx }, ids, wanted.value, { batchId, note: summary });
    await tx.update(batches).set({ computers: changed }).where(eq(batches.id, batchId));
    return ok({ batchId, changed });
  });
}

interface Batch {
  batchId: BatchId;
  note: string;
}

/** Sets a fact of each computer. */
async function changeFacts(
  acting: Context,
  ids: ComputerId[],
  change: BulkChange,
  { batchId, note }: Batch,
): Promise<number> {
  let changed = 0;
  await inParts(ids, WRITE_CHUNK, {
    read: async (part) => new Map((await currentOf(acting.db, part, true)).map((current) => [current.id, current])),
    workOut: (id, currents) => {
      const current = currents.get(id);
      return current ? bulkWrite(acting, current, change, note) : [];
    },
    write: async (writes) => {
      await writeComputers(acting.db, acting, writes, batchId);
      changed += writes.length;
    },
  });
  return changed;
}

type RowChange = Extract<BulkChange, { field: "siteId" | "retired" }>;
const isOfRow = (change: BulkChange): change is RowChange => change.field === "siteId" || change.field === "retired";

/** Sets the place of each computer, or takes it out of service or back: no facts, so that its row alone is written. */
async function changeRows(
  acting: Context,
  ids: ComputerId[],
  change: RowChange,
  { batchId, note }: Batch,
): Promise<number> {
  const { db, person } = acting;
  const now = acting.now();
  const set = change.field === "siteId" ? { siteId: change.value } : { retiredAt: change.value ? now : null };
  const { id, tag, version, siteId, retiredAt } = computers;
  const isSet = (row: { siteId: SiteId | null; retiredAt: Date | null }) =>
    change.field === "siteId" ? row.siteId === change.value : (row.retiredAt !== null) === change.value;
  let changed = 0;
  await inParts(ids, READ_CHUNK, {
    read: async (part) => {
      const query = db.select({ id, tag, version, siteId, retiredAt }).from(computers).where(inArray(id, part));
      return new Map((await query.for("update")).map((row) => [row.id, row]));
    },
    workOut: (each, rows) => {
      const row = rows.get(each);
      return row && !isSet(row) ? [row] : [];
    },
    write: async (rows) => {
      if (rows.length === 0) return;
      changed += rows.length;
      const chosen = rows.map((row) => row.id);
      await db
        .update(computers)
        .set({ ...set, version: sql`${version} + 1`, updatedAt: now })
        .where(inArray(id, chosen));
      const told = (of: { siteId?: SiteId | null; retiredAt?: Date | null }) =>
        change.field === "siteId" ? { siteId: of.siteId } : { retiredAt: of.retiredAt?.toISOString() ?? null };
      await recordEvents(
        db,
        acting,
        rows.map((row) => ({
          ...{ at: now, personId: person.id, personName: person.name, batchId, note },
          ...{ entity: "computer" as const, entityId: row.id, entityTag: row.tag, entityVersion: row.version + 1 },
          ...{ action: actionOf(change), before: told(row), after: told(set) },
        })),
      );
    },
  });
  return changed;
}

const actionOf = (change: BulkChange): Action =>
  change.field === "retired" ? (change.value ? "retired" : "brought back") : "changed";

async function addBatch(context: Context, tx: Queries, summary: string): Promise<number> {
  const row = await tx
    .insert(batches)
    .values({
      at: context.now(),
      personId: context.person.id,
      summary,
      computers: 0,
    })
    .$returningId();
  return insertedId(row);
}

const BULK_TITLES: Record<BulkChange["field"], string> = {
  siteId: "site",
  form: "form",
  make: "make",
  model: "model",
  firmwareVersion: "firmware version",
  legacyMode: "legacy mode",
  secureBoot: "Secure Boot",
  fastBoot: "fast boot",
  usbStart: "start from USB",
  setupKey: "firmware setup key",
  startMenuKey: "boot menu key",
  retired: "in service",
};

async function summaryOf(queries: Queries, change: BulkChange): Promise<string> {
  if (change.field === "retired") return change.value ? "retired" : "returned to service";
  let value = change.value === null ? "not recorded" : String(change.value);
  if (change.field === "siteId" && change.value !== null) {
    const [site] = await queries.select({ name: sites.name }).from(sites).where(eq(sites.id, change.value));
    value = site?.name ?? value;
  }
  return `${BULK_TITLES[change.field]} set to ${value}`.slice(0, 300);
}

function bulkWrite(context: Context, current: Current, change: BulkChange, note: string): ComputerWrite[] {
  if (valueNow(current, change.field) === change.value) return [];
  const { input, retiredAt } = current;
  const facts = factsWith(input.facts, change);
  const next: ComputerInput = { ...input, facts };
  const differs = difference(snapshot(input, retiredAt), snapshot(next, retiredAt));
  if (!differs) return [];
  return [
    {
      id: current.id,
      version: current.version + 1,
      ...next,
      retiredAt,
      provenance: editedProvenance(input.facts, current.provenance, facts, handSource(context)),
      // None of these fields touches disks or lists.
      sameProjections: true,
      event: { action: actionOf(change), ...differs, note },
    },
  ];
}

export interface Undone {
  undone: number;
  /** Changed by somebody since: left as they are. */
  changedSince: string[];
}

/** Takes a change over many back, where nobody changed the computer since. */
export async function undoBatch(context: Context, batchId: BatchId): Promise<Result<Undone>> {
  return act(context, { field: "tag", value: "" }, async ({ db: tx }) => {
    const [batch] = await tx.select().from(batches).where(eq(batches.id, batchId)).for("update");
    if (!batch) return fail({ code: "not-found", what: "change over many" });
    if (batch.undoneAt) return refused({ code: "undone-already" });
    const rows = await tx
      .select({ id: events.entityId, version: events.entityVersion, before: events.before })
      .from(events)
      .where(and(eq(events.batchId, batchId), eq(events.entity, "computer")));
    const undoing = await addBatch(context, tx, `undone: ${batch.summary}`.slice(0, 300));
    const outcome: Undone = { undone: 0, changedSince: [] };
    for (let at = 0; at < rows.length; at += WRITE_CHUNK) {
      const part = new Map(rows.slice(at, at + WRITE_CHUNK).map((row) => [row.id, row]));
      const writes: ComputerWrite[] = [];
      const befores = await unpacked(
        tx,
        [...part.values()].map((row) => row.before ?? {}),
      );
      const beforeOf = new Map([...part.keys()].map((id, index) => [id, befores[index] ?? {}]));
      for (const current of await currentOf(tx, [...part.keys()], true)) {
        const event = part.get(current.id);
        if (!event || event.version !== current.version) outcome.changedSince.push(current.input.tag);
        else writes.push(undoWrite(context, current, beforeOf.get(current.id) ?? {}, batch.summary));
      }
      await writeComputers(tx, context, writes, undoing);
      outcome.undone += writes.length;
    }
    await tx.update(batches).set({ undoneAt: context.now() }).where(eq(batches.id, batchId));
    await tx.update(batches).set({ computers: outcome.undone, undoneAt: context.now() }).where(eq(batches.id, undoing));
    return ok(outcome);
  });
}

/** Fields as the event log has them, back into a computer. */
function undoWrite(
  context: Context,
  current: Current,
  before: Record<string, unknown>,
  summary: string,
): ComputerWrite {
  const { input } = current;
  const { tag, name, siteId, note, retiredAt, make, model, serial, form, ...groups } = withDifference(
    snapshot(input, current.retiredAt),
    before,
  );
  const facts = factsSchema.parse({ ...input.facts, ...groups, computer: { tag, make, model, serial, form } });
  const next = { tag, name, siteId, note, facts } as ComputerInput;
  const wasRetired = typeof retiredAt === "string" ? new Date(retiredAt) : null;
  const change = difference(snapshot(input, current.retiredAt), snapshot(next, wasRetired));
  return {
    id: current.id,
    version: current.version + 1,
    ...next,
    retiredAt: wasRetired,
    provenance: editedProvenance(input.facts, current.provenance, facts, handSource(context)),
    event: {
      action: "undid a change of",
      before: change?.before ?? {},
      after: change?.after ?? {},
      note: summary,
    },
  };
}

/** The latest acts over many that can still be undone. */
export function latestBatches(
  context: Context,
  limit = 5,
): Promise<(typeof batches.$inferSelect & { personName: string })[]> {
  return context.db
    .select({ ...getTableColumns(batches), personName: nameOf(batches.personId) })
    .from(batches)
    .where(and(isNull(batches.undoneAt), sql`${batches.computers} > 0`))
    .orderBy(sql`${batches.id} DESC`)
    .limit(limit);
}
