import { promisify } from "node:util";
import { gunzip, gzip } from "node:zlib";
import { and, asc, eq, inArray, lt, sql } from "drizzle-orm";
import { decode, encodingOf, readTable, TABLE_BYTES_MAX } from "@/core/computer/exchange/table";
import type { FactSource } from "@/core/computer/facts/merge";
import { type ImportTrouble, readImportFault } from "@/core/problems/problem";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ImportId } from "../db/ids";
import { inParts } from "../db/in-parts";
import { affectedRows, insertedId } from "../db/results";
import { importParts, imports, sites } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { type ComputerWrite, WRITE_CHUNK, writeComputers } from "../inventory/write-computers";
import type { JobKind, Work } from "../jobs/engine";
import { cancelHolder } from "../jobs/hold";
import { enqueue, type Job } from "../jobs/jobs";
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
    for (let position = 0; position * PART_BYTES < bytes.length; position++) {
      const body = await packedPart(bytes.subarray(position * PART_BYTES, (position + 1) * PART_BYTES));
      await tx.insert(importParts).values({ importId, position, body });
    }
    return ok(importId);
  });
}

/** First byte of a part that is kept compressed; no text begins with it. Parts of earlier versions are as they came. */
const PACKED = 1;

/** A fleet's facts repeat themselves: what is kept is a thirtieth, and quicker to write and to read. */
async function packedPart(bytes: Uint8Array): Promise<Uint8Array> {
  return Buffer.concat([Uint8Array.of(PACKED), await promisify(gzip)(bytes, { level: 1 })]);
}

async function unpackedPart(body: Uint8Array): Promise<Uint8Array> {
  return body[0] === PACKED ? promisify(gunzip)(body.subarray(1), { maxOutputLength: PART_BYTES }) : body;
}

/** The staged file, or its first `most` parts. */
async function bytesOf(queries: Queries, id: ImportId, most = Number.MAX_SAFE_INTEGER): Promise<Uint8Array> {
  const parts = await queries
    .select({ body: importParts.body })
    .from(importParts)
    .where(and(eq(importParts.importId, id), lt(importParts.position, most)))
    .orderBy(asc(importParts.position));
  const bodies: Uint8Array[] = [];
  for (const { body } of parts) bodies.push(await unpackedPart(body));
  return new Uint8Array(Buffer.concat(bodies));
}

export async function getImport(context: Context, id: ImportId): Promise<ImportView | null> {
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
export async function importProgress(context: Context, id: ImportId): Promise<ImportProgress | null> {
  const [row] = await context.db.select().from(imports).where(eq(imports.id, id));
  return row ? progressOf(row) : null;
}

const CANCELLED: ImportTrouble = { code: "cancelled" };

const holdOf = (id: ImportId) => `import ${id}`;

/** Asks the work on an import to stop; it does at its next step, and says so then. Gives whether there was any. */
export async function cancelImport(context: Context, id: ImportId): Promise<Result<boolean>> {
  const isAsked = await cancelHolder(context, holdOf(id), importWork);
  if (isAsked)
    await act(context, null, async ({ db }) => {
      await db
        .update(imports)
        .set({ state: "cancelling", updatedAt: context.now() })
        .where(and(eq(imports.id, id), inArray(imports.state, ["checking", "running"])));
      return ok(id);
    });
  return ok(isAsked);
}

/** Hears how far it is, and throws where it has to stop. */
type Teller = (done: number, total: number) => Promise<void>;
const TELL_EVERY_MS = 300;

/** Tells how far it is, at most some times a second, outside of the import's own transaction. */
function progressTeller(work: Work, id: ImportId): Teller {
  let told = 0;
  return async (done, total) => {
    work.check();
    if (Date.now() - told < TELL_EVERY_MS) return;
    told = Date.now();
    work.tell(null, done, total);
    const { db, now } = work.context;
    await db.update(imports).set({ done, total, updatedAt: now() }).where(eq(imports.id, id));
  };
}

interface Staged {
  fileName: string;
  bytes: Uint8Array;
  options: ImportOptions;
}

/** Says what is being done with a staged file; whoever changes its state does it. */
async function begin(
  acting: Context,
  id: ImportId,
  options: unknown,
  state: "checking" | "running",
): Promise<Result<Omit<Staged, "bytes">>> {
  const parsed = checked(importOptionsSchema, options);
  if (!parsed.ok) return parsed;
  const [row] = await acting.db.select().from(imports).where(eq(imports.id, id));
  if (!row) return fail({ code: "not-found", what: "import" });
  if (row.state === "done") return refused({ code: "import-done" });
  const result = await acting.db
    .update(imports)
    .set({ state, options: parsed.value, done: 0, total: 0, problem: null, updatedAt: acting.now() })
    .where(and(eq(imports.id, id), sql`${imports.state} NOT IN ('checking', 'running', 'cancelling', 'done')`));
  if (affectedRows(result) !== 1) return refused({ code: "import-busy" });
  return ok({ fileName: row.fileName, options: parsed.value });
}

export const IMPORT_KIND = "import";
const payloadOf = ({ payload }: Job) => payload as { import: number; what: "check" | "run" };

/** Begins to go through a staged file, or to import it; it goes on by itself. Problems: `invalid`, `not-found`. */
export function startImport(
  context: Context,
  id: ImportId,
  options: unknown,
  what: "check" | "run",
): Promise<Result<number>> {
  return act(context, null, async (acting): Promise<Result<number>> => {
    const begun = await begin(acting, id, options, what === "check" ? "checking" : "running");
    if (!begun.ok) return begun;
    return enqueue(acting, { kind: IMPORT_KIND, payload: { import: id, what }, holds: holdOf(id) });
  });
}

async function endImport(context: Context, id: ImportId, set: Partial<typeof imports.$inferInsert>): Promise<void> {
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

/** How an import ended, beside the one that is done: that is kept with what was imported. */
interface ImportEnd {
  state: "checked" | "failed";
  report: ImportReport | null;
  problem: ImportTrouble | null;
}

/** Goes through a staged file, or imports it. Another worker begins anew: of an import that did not end nothing is left. */
export const importWork: JobKind = {
  isRepeatable: true,
  run: async (work) => {
    const { import: id, what } = payloadOf(work.job);
    const [row] = await work.context.db.select().from(imports).where(eq(imports.id, id));
    // It was done by a worker that could not say so any more.
    if (!row || row.state === "done") return null;
    const staged: Staged = {
      fileName: row.fileName,
      bytes: await bytesOf(work.context.db, id),
      options: importOptionsSchema.parse(row.options),
    };
    const tell = progressTeller(work, id);
    if (what === "check")
      return { state: "checked", report: await goThrough(work.context, staged, tell, null), problem: null };
    return importedBy(id, staged, tell, (run) => work.act(run, TAGS));
  },
  ended: async (acting, job, { state, ...end }) => {
    const { import: id } = payloadOf(job);
    // Its rows may be there already: the worker that brought them about was lost before it could say so.
    const [row] = await acting.db
      .select({ state: imports.state, report: imports.report })
      .from(imports)
      .where(eq(imports.id, id));
    if (row?.state === "done") return;
    if (state === "done") {
      const its = "result" in end ? (end.result as ImportEnd | null) : null;
      if (its) await endImport(acting, id, { ...its, ...(its.report ? countsOf(its.report) : {}) });
    } else if (state === "failed")
      await endImport(acting, id, {
        state: "failed",
        problem: { code: "failure" in end && end.failure === "disk-full" ? "disk-full" : "unforeseen" },
      });
    else {
      // What was gone through before stays so.
      await endImport(acting, id, { state: row?.report ? "checked" : "staged", problem: CANCELLED });
    }
  },
};

const countsOf = ({ rows }: ImportReport) => ({ done: rows, total: rows });
/** What two rows with one tag run into. */
const TAGS = { field: "tag", value: "" };

/** Takes what a part of a file comes to; `ids`: of places, by their names. */
type Taker = (writes: ComputerWrite[], importer: Importer, ids: Map<string, number>) => Promise<void>;

/** Goes through the whole file; without a taker nothing is written, and no row is held. */
async function goThrough(
  context: Context,
  { fileName, bytes, options }: Staged,
  tell: Teller,
  take: Taker | null,
): Promise<ImportReport> {
  const source = sourceOfFile(fileName, bytes, options);
  const maps = await siteMaps(context.db);
  const importer = newImporter(context, fileName, options, maps);
  for (const fault of source.faults) importer.fault(fault);
  await inParts(source.rows, CHUNK, {
    read: (rows) => importer.recorded(context.db, rows, take !== null),
    workOut: (row, recorded) => importer.compared(row, recorded),
    write: async (writes, done) => {
      await tell(done, source.rows.length);
      await take?.(writes, importer, maps.ids);
    },
  });
  return importer.report;
}

/** Imports the file, all of it or, where a single row is at fault, none; null: it is done, and that is kept with it. */
async function importedBy(
  id: ImportId,
  staged: Staged,
  tell: Teller,
  inOneAct: (run: (acting: Context) => Promise<Result<ImportReport>>) => Promise<Result<ImportReport>>,
): Promise<ImportEnd | null> {
  let faulty: ImportReport | null = null;
  const result = await inOneAct(async (acting) => {
    const report = await importAll(acting, staged, tell);
    if (report.faultsTotal > 0) {
      faulty = report;
      return refused({ code: "import-failed" });
    }
    await endImport(acting, id, { state: "done", report, ...countsOf(report), problem: null });
    await acting.db.delete(importParts).where(eq(importParts.importId, id));
    return ok(report);
  });
  if (result.ok) return null;
  if (faulty) return { state: "checked", report: faulty, problem: { code: "rows-at-fault" } };
  const { problem } = result;
  return {
    ...{ state: "failed", report: null },
    problem: problem.code === "taken" ? { code: "tags-alike" } : { code: "refused", problem },
  };
}

/** Imports a staged file at once, as a part of a larger act. */
export function runImport(context: Context, id: ImportId, options: unknown): Promise<Result<ImportReport>> {
  return act(context, TAGS, async (acting): Promise<Result<ImportReport>> => {
    const begun = await begin(acting, id, options, "running");
    if (!begun.ok) return begun;
    const staged = { ...begun.value, bytes: await bytesOf(acting.db, id) };
    const end = await importedBy(
      id,
      staged,
      async () => {},
      (run) => act(acting, TAGS, run),
    );
    if (end !== null) await endImport(acting, id, end);
    const [row] = await acting.db.select({ report: imports.report }).from(imports).where(eq(imports.id, id));
    const report = end === null ? (row?.report as ImportReport | undefined) : end.report;
    return report ? ok(asReport(report) ?? report) : refused({ code: "import-failed" });
  });
}

function importAll(acting: Context, staged: Staged, tell: Teller): Promise<ImportReport> {
  const added = new Map<number, number>();
  return goThrough(acting, staged, tell, async (writes, importer, ids) => {
    if (importer.report.faultsTotal > 0) return;
    await addPlaces(acting, acting.db, importer.report.newSites, ids, added);
    const placed = writes.map((write) => withPlace(write, added));
    for (let from = 0; from < placed.length; from += WRITE_CHUNK)
      await writeComputers(acting.db, acting, placed.slice(from, from + WRITE_CHUNK));
  });
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

/** The latest imports, latest first. */
export async function listImports(context: Context, limit = 12): Promise<ImportProgress[]> {
  const rows = await context.db.select().from(imports).orderBy(sql`${imports.id} DESC`).limit(limit);
  return rows.map(progressOf);
}

/** A report as it is kept; faults of earlier days are sentences. */
function asReport(kept: ImportReport | null): ImportReport | null {
  return kept && { ...kept, faults: kept.faults.map(readImportFault) };
}
