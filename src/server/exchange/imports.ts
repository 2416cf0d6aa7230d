import { and, asc, eq, inArray, lt, sql } from "drizzle-orm";
import { decode, encodingOf, readTable, TABLE_BYTES_MAX } from "@/core/computer/exchange/table";
import type { FactSource } from "@/core/computer/facts/merge";
import { readImportFault } from "../../core/problems/problem";
import { problemText } from "../../core/words/problems";
import type { Context } from "../context";
import { act } from "../db/act";
import type { Queries } from "../db/client";
import { affectedRows, insertedId } from "../db/results";
import { importParts, imports, sites } from "../db/schema";
import { recordEvent } from "../inventory/events";

import { type ComputerWrite, WRITE_CHUNK, writeComputers } from "../inventory/write-computers";
import { log } from "../log";
import { checked, fail, ok, type Result, refused } from "../problems";
import { Importer, keyOf } from "./importer";
import { type ImportOptions, type ImportReport, type ImportView, importOptionsSchema } from "./options";
import { siteMaps } from "./site-maps";
import { isLines, mappingOf, sourceOfFile } from "./source";

const PART_BYTES = 4 * 2 ** 20;
const SAMPLE_ROWS = 3;
const CHUNK = 200;

/** Keeps a dropped table until it is imported. Problems: `invalid`. */
export async function stageImport(context: Context, fileName: string, bytes: Uint8Array): Promise<Result<number>> {
  if (bytes.length === 0) return refused({ code: "file-empty" });
  if (bytes.length > TABLE_BYTES_MAX) return refused({ code: "table-too-large" });
  const options: ImportOptions = {
    encoding: encodingOf(bytes),
    delimiter: null,
    mapping: null,
    emptyClears: false,
    overHand: false,
    addSites: false,
  };
  return act(context, null, async ({ db: tx }) => {
    const row = await tx
      .insert(imports)
      .values({
        fileName: fileName.slice(0, 255) || "pasted table",
        bytes: bytes.length,
        personId: context.person.id,
        state: "staged",
        options,
        createdAt: context.now(),
        updatedAt: context.now(),
      })
      .$returningId();
    const importId = insertedId(row);
    for (let position = 0; position * PART_BYTES < bytes.length; position++)
      await tx.insert(importParts).values({
        importId,
        position,
        body: bytes.subarray(position * PART_BYTES, (position + 1) * PART_BYTES),
      });
    return ok(importId);
  });
}

/** The staged file, or its first `most` parts. */
async function bytesOf(queries: Queries, id: number, most = Number.MAX_SAFE_INTEGER): Promise<Uint8Array> {
  const parts = await queries
    .select({ body: importParts.body })
    .from(importParts)
    .where(and(eq(importParts.importId, id), lt(importParts.position, most)))
    .orderBy(asc(importParts.position));
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.body.length, 0));
  let at = 0;
  for (const { body } of parts) {
    whole.set(body, at);
    at += body.length;
  }
  return whole;
}

export async function getImport(context: Context, id: number): Promise<ImportView | null> {
  const [row] = await context.db.select().from(imports).where(eq(imports.id, id));
  if (!row) return null;
  const options = importOptionsSchema.parse(row.options);
  // Its first part has the heading and more rows than are shown.
  const { text, damaged } = decode(await bytesOf(context.db, id, 1), options.encoding);
  const table = isLines(row.fileName, text) ? null : readTable(text.slice(0, SAMPLE_TEXT), options.delimiter, damaged);
  return {
    ...progressOf(row),
    options,
    report: asReport(row.report as ImportReport | null),
    table: table && {
      header: table.header,
      mapping: mappingOf(options, table.header),
      delimiter: table.delimiter,
      sample: table.rows.slice(0, SAMPLE_ROWS).map((cells) => cells.map((cell) => cell.slice(0, 200))),
    },
  };
}

/** Enough for the heading and some rows. */
const SAMPLE_TEXT = 200_000;

export type ImportProgress = Pick<
  ImportView,
  "id" | "fileName" | "bytes" | "state" | "done" | "total" | "problem" | "updatedAt"
>;

function progressOf(row: typeof imports.$inferSelect): ImportProgress {
  const { id, fileName, bytes, state, done, total, problem, updatedAt } = row;
  return { id, fileName, bytes, state, done, total, problem, updatedAt };
}

/** How far an import is, without its content. */
export async function importProgress(context: Context, id: number): Promise<ImportProgress | null> {
  const [row] = await context.db.select().from(imports).where(eq(imports.id, id));
  return row ? progressOf(row) : null;
}

/** Lets others have their turn: a long import must not hold up pages. */
const breathe = () => new Promise<void>((resolve) => setImmediate(resolve));

/** Thrown where somebody cancelled: in a transaction it takes everything back. */
class Cancelled extends Error {}

const CANCELLED = "Cancelled: nothing was imported.";

/** Asks the work on an import to stop; it does at its next step. Gives whether there was any. */
export async function cancelImport(context: Context, id: number): Promise<Result<boolean>> {
  const result = await context.db
    .update(imports)
    .set({ state: "cancelling", updatedAt: context.now() })
    .where(and(eq(imports.id, id), inArray(imports.state, ["checking", "running"])));
  return ok(affectedRows(result) === 1);
}

/**
 * Tells how far it is, at most some times a second, outside of the import's own transaction, and hears there whether
 * it was cancelled.
 */
function progressTeller(context: Context, id: number, total: number): (done: number, last?: boolean) => Promise<void> {
  let told = 0;
  return async (done, last = false) => {
    if (!last && Date.now() - told < 300) return;
    told = Date.now();
    await context.db.update(imports).set({ done, total, updatedAt: context.now() }).where(eq(imports.id, id));
    const [row] = await context.db.select({ state: imports.state }).from(imports).where(eq(imports.id, id));
    if (row?.state === "cancelling") throw new Cancelled();
  };
}

async function begin(
  context: Context,
  id: number,
  options: unknown,
  state: "checking" | "running",
): Promise<Result<{ fileName: string; bytes: Uint8Array; options: ImportOptions }>> {
  const parsed = checked(importOptionsSchema, options);
  if (!parsed.ok) return parsed;
  const [row] = await context.db.select().from(imports).where(eq(imports.id, id));
  if (!row) return fail({ code: "not-found", what: "import" });
  if (row.state === "done") return refused({ code: "import-done" });
  // Only one begins: whoever changes the state.
  const result = await context.db
    .update(imports)
    .set({ state, options: parsed.value, done: 0, total: 0, problem: null, updatedAt: context.now() })
    .where(and(eq(imports.id, id), sql`${imports.state} NOT IN ('checking', 'running', 'cancelling', 'done')`));
  if (affectedRows(result) !== 1) return refused({ code: "import-busy" });
  return ok({ fileName: row.fileName, bytes: await bytesOf(context.db, id), options: parsed.value });
}

async function end(context: Context, id: number, set: Partial<typeof imports.$inferInsert>): Promise<void> {
  await context.db
    .update(imports)
    .set({ ...set, updatedAt: context.now() })
    .where(eq(imports.id, id));
}

function newImporter(
  context: Context,
  fileName: string,
  options: ImportOptions,
  maps: Awaited<ReturnType<typeof siteMaps>>,
) {
  const source: FactSource = {
    kind: "table",
    name: fileName,
    at: context.now().toISOString(),
    by: context.person.name,
  };
  return new Importer(options, source, maps.names, maps.ids);
}

const UNEXPECTED =
  "Something went wrong that was not foreseen; nothing was imported. The log of the server has the details.";

/** Goes through the whole file as an import would, and writes nothing. */
export async function checkImport(context: Context, id: number, options: unknown): Promise<Result<ImportReport>> {
  const begun = await begin(context, id, options, "checking");
  if (!begun.ok) return begun;
  const { fileName, bytes } = begun.value;
  try {
    const source = sourceOfFile(fileName, bytes, begun.value.options);
    const importer = newImporter(context, fileName, begun.value.options, await siteMaps(context.db));
    for (const fault of source.faults) importer.fault(fault);
    const tell = progressTeller(context, id, source.rows.length);
    for (let at = 0; at < source.rows.length; at += CHUNK) {
      await importer.chunk(context.db, source.rows.slice(at, at + CHUNK), false);
      await tell(at);
      await breathe();
    }
    await end(context, id, {
      state: "checked",
      report: importer.report,
      done: source.rows.length,
      total: source.rows.length,
    });
    return ok(importer.report);
  } catch (error) {
    if (error instanceof Cancelled) {
      await end(context, id, { state: "staged", problem: CANCELLED });
      return refused({ code: "import-cancelled" });
    }
    log.error({ err: error, import: id }, "import check failed");
    await end(context, id, { state: "failed", problem: UNEXPECTED });
    return refused({ code: "import-failed" });
  }
}

/** Thrown inside the transaction, so that it takes everything back. */
class Refused extends Error {
  constructor(readonly report: ImportReport) {
    super("The table has faults.");
  }
}

/** Imports the file: all of it, or, where a single row is at fault, none. */
export async function runImport(context: Context, id: number, options: unknown): Promise<Result<ImportReport>> {
  const begun = await begin(context, id, options, "running");
  if (!begun.ok) return begun;
  const { fileName, bytes } = begun.value;
  try {
    // That it is done is kept with what was imported: neither without the other.
    const result = await act(context, { field: "tag", value: "" }, async (acting) => {
      const report = await importAll(context, acting.db, id, fileName, bytes, begun.value.options);
      const { rows } = report;
      await end(acting, id, { state: "done", report, done: rows, total: rows, problem: null });
      await acting.db.delete(importParts).where(eq(importParts.importId, id));
      return ok(report);
    });
    if (!result.ok) {
      const why =
        result.problem.code === "taken"
          ? "Two of its tags, or one of them and one that is recorded, count as the same: they differ in letters that are not told apart."
          : problemText(result.problem);
      await end(context, id, { state: "failed", problem: `${why} Nothing was imported.` });
      return result;
    }
    return result;
  } catch (error) {
    if (error instanceof Refused) {
      await end(context, id, {
        state: "checked",
        report: error.report,
        problem: "Nothing was imported: the rows below have faults.",
      });
      return ok(error.report);
    }
    if (error instanceof Cancelled) {
      await end(context, id, { state: "staged", problem: CANCELLED });
      return refused({ code: "import-cancelled" });
    }
    log.error({ err: error, import: id }, "import failed");
    await end(context, id, { state: "failed", problem: UNEXPECTED });
    return refused({ code: "import-failed" });
  }
}

async function importAll(
  context: Context,
  tx: Queries,
  id: number,
  fileName: string,
  bytes: Uint8Array,
  options: ImportOptions,
): Promise<ImportReport> {
  const source = sourceOfFile(fileName, bytes, options);
  const maps = await siteMaps(tx);
  const importer = newImporter(context, fileName, options, maps);
  for (const fault of source.faults) importer.fault(fault);
  const tell = progressTeller(context, id, source.rows.length);
  const added = new Map<number, number>();
  for (let at = 0; at < source.rows.length; at += CHUNK) {
    const writes = await importer.chunk(tx, source.rows.slice(at, at + CHUNK), true);
    if (importer.report.faultsTotal === 0) {
      await addPlaces(context, tx, importer.report.newSites, maps.ids, added);
      const placed = writes.map((write) => withPlace(write, added));
      for (let from = 0; from < placed.length; from += WRITE_CHUNK)
        await writeComputers(tx, context, placed.slice(from, from + WRITE_CHUNK));
    }
    await tell(at);
    await breathe();
  }
  if (importer.report.faultsTotal > 0) throw new Refused(importer.report);
  return importer.report;
}

/** Adds the places that a table names and that are not there; `added`: their ids by what stood for them. */
async function addPlaces(
  context: Context,
  tx: Queries,
  names: string[],
  ids: Map<string, number>,
  added: Map<number, number>,
): Promise<void> {
  for (const [index, name] of names.entries()) {
    if (added.has(-index - 1)) continue;
    const row = await tx
      .insert(sites)
      .values({ name, createdAt: context.now(), updatedAt: context.now() })
      .$returningId();
    const siteId = insertedId(row);
    added.set(-index - 1, siteId);
    ids.set(keyOf(name), siteId);
    await recordEvent(tx, context, {
      entity: "site",
      entityId: siteId,
      entityTag: name,
      action: "added",
      version: 1,
      before: null,
      after: { name, place: null },
    });
  }
}

function withPlace(write: ComputerWrite, added: Map<number, number>): ComputerWrite {
  const siteId = write.siteId === null ? undefined : added.get(write.siteId);
  if (siteId === undefined) return write;
  return { ...write, siteId, event: { ...write.event, after: { ...write.event.after, siteId } } };
}

/** Imports that a stopped server left in the middle: their transaction was taken back. At start. */
export async function markInterruptedImports(db: Context["db"], now: Date): Promise<void> {
  await db
    .update(imports)
    .set({
      state: "interrupted",
      problem: "Creel was stopped while this was being worked on. Nothing was imported; check it and import it again.",
      updatedAt: now,
    })
    .where(inArray(imports.state, ["checking", "running", "cancelling"]));
}

/** The latest imports, latest first. */
export async function listImports(context: Context, limit = 12): Promise<ImportProgress[]> {
  const rows = await context.db.select().from(imports).orderBy(sql`${imports.id} DESC`).limit(limit);
  return rows.map(progressOf);
}

/** A report as it is kept; faults of earlier days are sentences. */
function asReport(kept: ImportReport | null): ImportReport | null {
  return kept && { ...kept, faults: kept.faults.map(readImportFault) };
}
