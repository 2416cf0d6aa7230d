import { join } from "node:path";
import { and, desc, eq, getTableColumns, isNotNull, isNull } from "drizzle-orm";
import { groupFiles, type StoreFile } from "@/core/images/grouping";
import { readListing } from "@/core/images/listing";
import { compilePattern, type NameFacts, readName, USUAL_PATTERN } from "@/core/images/names";
import type { CopiedFile, ReportedImage, StoreReport } from "@/core/images/report";
import { compareScan, type KnownCopy } from "@/core/images/scan";
import { readStored, type StoredReading } from "@/core/images/stored";
import { dayOf } from "@/core/kernel/days";
import type { ByteSource } from "@/core/kernel/source";
import { rateOf } from "@/core/making/writing/rate";
import { checksumFor, readChecksums } from "@/core/medium/integrity/checksums";
import { digestSource } from "@/core/medium/integrity/hashing";
import type { FileFault, ScanTrouble } from "@/core/problems/problem";
import { act } from "../act";
import type { Context } from "../context";
import type { ImageId, ScanId, StoreId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { computers, imageCopies, sites, storeScans, stores, systemImages } from "../db/schema";
import { FileSource, fileFault } from "../host/file-source";
import { storesFolder } from "../host/folders";
import { nativeHasher } from "../host/native-hasher";
import { measuredWriteRate, roomIn, storeFiles } from "../host/stores-walk";
import type { JobKind, Work } from "../jobs/engine";
import { cancelHolder } from "../jobs/hold";
import { enqueue, failureOf, type Job } from "../jobs/jobs";
import { fail, ok, type Result, refused } from "../problems";
import { noteCopy } from "./images";
import { getStore, noteFill, type StoreDetail } from "./stores";

export type ScanRow = typeof storeScans.$inferSelect & { personName: string };

const scanColumns = { ...getTableColumns(storeScans), personName: nameOf(storeScans.personId) };

export const SCAN_KIND = "store-scan";

const holdOf = (storeId: StoreId) => `store ${storeId}`;
const scanOf = ({ payload }: Job) => (payload as { scan: number }).scan;

/** Begins a look through a store that this server can look into. Gives its id; it goes on by itself. */
export async function startScan(context: Context, storeId: StoreId, isThorough: boolean): Promise<Result<number>> {
  const store = await getStore(context, storeId);
  if (!store) return fail({ code: "not-found", what: "store" });
  if (store.row.folder === null) return refused({ code: "store-out-of-reach" });
  return act(context, null, async (acting): Promise<Result<number>> => {
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const row = await acting.db
      .insert(storeScans)
      .values({ storeId, state: "running", isThorough, personId: context.person.id, ...times })
      .$returningId();
    const scan = insertedId(row);
    // One at a time looks through a store: whoever comes second finds it held.
    const queued = await enqueue(acting, { kind: SCAN_KIND, payload: { scan }, holds: holdOf(storeId) });
    return queued.ok ? ok(scan) : refused({ code: "store-scan-running" });
  });
}

const TELL_EVERY_MS = 500;

/** Looks through a store. What it found is kept as done with what it dates, or not at all. */
export const scanWork: JobKind = {
  isRepeatable: true,
  run: async (work) => {
    const { context } = work;
    const scan = await getScan(context, scanOf(work.job));
    const store = scan && (await getStore(context, scan.storeId));
    if (!scan || !store) return null;
    const startedAt = performance.now();
    try {
      const report = await lookThrough(work, store, scan);
      const room = await roomIn(join(storesFolder(), store.row.folder as string));
      return { report, room, ms: performance.now() - startedAt } satisfies Looked;
    } catch (error) {
      work.check();
      const code = (error as { code?: string } | null)?.code;
      // What the store's own file system says is told as it is.
      if (code && failureOf(error) !== "disk-full") return { fault: fileFault(error) } satisfies NotLooked;
      throw error;
    }
  },
  ended: async (acting, job, end) => {
    const id = scanOf(job);
    const set = (values: Partial<ScanRow>) =>
      acting.db
        .update(storeScans)
        .set({ ...values, updatedAt: acting.now() })
        .where(eq(storeScans.id, id));
    if (end.state === "cancelled") return void (await set({ state: "cancelled" }));
    const looked = end.state === "done" ? (end.result as Looked | NotLooked | null) : null;
    if (!looked || "fault" in looked) {
      const isFull = end.state === "failed" && end.failure === "disk-full";
      const problem: ScanTrouble = looked
        ? { code: "file-fault", fault: looked.fault }
        : { code: isFull ? "disk-full" : "unforeseen" };
      return void (await set({ state: "failed", problem }));
    }
    const scan = await getScan(acting, id);
    const store = scan && (await getStore(acting, scan.storeId));
    if (!scan || !store) return;
    const { report, room, ms } = looked;
    await set({ state: "done", report, doneBytes: report.bytes, totalBytes: report.bytes });
    if (scan.isThorough) await noteReadRate(acting, store, report, ms);
    await dateWhatIsThere(acting, store, report, scan.isThorough, room);
  },
};

interface Looked {
  report: StoreReport;
  room: { capacityBytes: number; usedBytes: number } | null;
  ms: number;
}

interface NotLooked {
  fault: FileFault;
}

/** Below so many bytes the time says more of beginning than of reading. */
const RATE_LEAST_BYTES = 50e6;

/** How fast a store was read when all of it was: the next estimates go by that. */
async function noteReadRate(context: Context, { row }: StoreDetail, { bytes }: StoreReport, ms: number): Promise<void> {
  const readRate = bytes < RATE_LEAST_BYTES ? null : rateOf(bytes, ms);
  if (readRate === null) return;
  await context.db.update(stores).set({ readRate }).where(eq(stores.id, row.id));
}

/**
 * Measures how fast a store that this server can look into is written to, and keeps it for estimates. Gives bytes a
 * second. Problems: `not-found`, `invalid`.
 */
export async function measureStore(context: Context, storeId: StoreId): Promise<Result<number>> {
  const store = await getStore(context, storeId);
  if (!store) return fail({ code: "not-found", what: "store" });
  if (store.row.folder === null) return refused({ code: "store-not-measurable" });
  try {
    const writeRate = await measuredWriteRate(join(storesFolder(), store.row.folder));
    if (writeRate === null) return refused({ code: "store-too-full-to-measure" });
    return await act(context, null, async ({ db }) => {
      await db.update(stores).set({ writeRate }).where(eq(stores.id, storeId));
      return ok(writeRate);
    });
  } catch (error) {
    return refused({ code: "store-not-writable", fault: fileFault(error) });
  }
}

async function lookThrough(work: Work, store: StoreDetail, scan: ScanRow): Promise<StoreReport> {
  const { context } = work;
  const folder = join(storesFolder(), store.row.folder as string);
  const { files } = await storeFiles(folder);
  const groups = groupFiles(files);
  const totalBytes = groups.reduce((sum, { storedBytes }) => sum + storedBytes, 0);
  let doneBytes = 0;
  let told = 0;
  const progress = async (bytes: number) => {
    work.check();
    doneBytes += bytes;
    work.tell(null, doneBytes, totalBytes);
    if (Date.now() - told < TELL_EVERY_MS) return;
    told = Date.now();
    await work.act(async ({ db }) => {
      await db
        .update(storeScans)
        .set({ doneBytes, totalBytes, updatedAt: context.now() })
        .where(eq(storeScans.id, scan.id));
      return ok(null);
    });
  };
  const images = await holdAgainstKnown(context, store, files, async (path) =>
    FileSource.open(join(folder, path)).catch(() => null),
  );
  for (const image of scan.isThorough ? images : []) await digest(folder, image, progress);
  return reportOf(context, store, images, files);
}

/** The store's own pattern of names, else those of places, and the usual one. */
async function patternsFor(context: Context, { row }: StoreDetail): Promise<string[]> {
  if (row.namePattern) return [row.namePattern];
  const rows = await context.db
    .selectDistinct({ pattern: sites.namePattern })
    .from(sites)
    .where(isNotNull(sites.namePattern));
  return [...rows.flatMap(({ pattern }) => pattern ?? []), USUAL_PATTERN];
}

/** What the files of a store are, held against what is known of it. Sources are closed once they were read. */
async function holdAgainstKnown(
  context: Context,
  store: StoreDetail,
  files: readonly StoreFile[],
  open: (path: string) => Promise<(ByteSource & { close?: () => Promise<void> }) | null>,
): Promise<ReportedImage[]> {
  const groups = groupFiles(files);
  const known = await knownCopies(context, store.row.id);
  const { groups: compared } = compareScan(groups, known, await namesWithout(context, known));
  const patterns = (await patternsFor(context, store)).flatMap((text) => {
    const compiled = compilePattern(text);
    return compiled.ok ? [compiled.pattern] : [];
  });
  const tags = await context.db.select({ tag: computers.tag }).from(computers).where(isNull(computers.retiredAt));
  const images: ReportedImage[] = [];
  for (const { group, state } of compared) {
    const opened: { close?: () => Promise<void> }[] = [];
    let reading: StoredReading;
    try {
      reading = await readStored(group, async (path) => {
        const source = await open(path);
        if (source) opened.push(source);
        return source;
      });
    } finally {
      for (const source of opened) await source.close?.();
    }
    const mediaTags = tags.map(({ tag }) => tag);
    const readings = patterns.flatMap((pattern) => readName(pattern, group.name, mediaTags).slice(0, 1));
    const isKnown = ({ computer }: NameFacts) => mediaTags.some((tag) => tag.toLowerCase() === computer?.toLowerCase());
    const named = readings.find(isKnown) ?? readings[0] ?? null;
    images.push({
      ...{ key: group.key, name: group.name, storedBytes: group.storedBytes, modified: group.modified },
      files: group.members.flatMap((member) => member.files),
      beside: group.beside.map(({ path }) => path),
      ...{ reading, state, named, isWhole: null, sumRight: null },
    });
  }
  return images;
}

/** Names of images that are not known to have a copy in a store. */
async function namesWithout(context: Context, known: readonly { imageId: ImageId }[]): Promise<string[]> {
  const here = new Set(known.map(({ imageId }) => imageId));
  const rows = await context.db
    .select({ id: systemImages.id, name: systemImages.name })
    .from(systemImages)
    .where(isNull(systemImages.deletedAt));
  return rows.flatMap(({ id, name }) => (here.has(id) ? [] : [name]));
}

export async function knownCopies(
  context: Context,
  storeId: StoreId,
): Promise<(Omit<KnownCopy, "files"> & { imageId: ImageId; files: CopiedFile[] })[]> {
  const rows = await context.db
    .select({ imageId: imageCopies.imageId, image: systemImages.name, files: imageCopies.files })
    .from(imageCopies)
    .innerJoin(systemImages, eq(systemImages.id, imageCopies.imageId))
    .where(and(eq(imageCopies.storeId, storeId), isNull(systemImages.deletedAt)));
  return rows;
}

/** Reads an image's files to their end, and compares them with the sums that lie beside it. */
async function digest(folder: string, image: ReportedImage, progress: (bytes: number) => Promise<void>): Promise<void> {
  for (const file of image.files) {
    const source = await FileSource.open(join(folder, file.path)).catch(() => null);
    if (!source) continue;
    try {
      let pending: Promise<void> = Promise.resolve();
      let stop: unknown = null;
      file.sha256 = await digestSource(source, "sha256", nativeHasher, (bytes) => {
        pending = pending
          .then(() => progress(bytes))
          .catch((error: unknown) => {
            stop = error;
          });
        return stop === null;
      });
      await pending;
      if (stop) throw stop;
    } finally {
      await source.close();
    }
  }
  for (const path of image.beside.filter((each) => /\.sha256(?:sum)?$/i.test(each))) {
    const source = await FileSource.open(join(folder, path)).catch(() => null);
    if (!source) continue;
    const sums = readChecksums(new TextDecoder().decode(await source.read(0, 1 << 20)));
    await source.close();
    for (const file of image.files) {
      const sum = checksumFor(sums, file.path.slice(file.path.lastIndexOf("/") + 1));
      if (sum?.hash === "sha256") image.sumRight = (image.sumRight ?? true) && sum.digest === file.sha256;
    }
  }
}

async function reportOf(
  context: Context,
  store: StoreDetail,
  images: ReportedImage[],
  files: readonly StoreFile[],
): Promise<StoreReport> {
  const copies = await knownCopies(context, store.row.id);
  for (const image of images) {
    const state = image.state;
    const copy = state.state === "same" ? copies.find((each) => each.image === state.image) : undefined;
    const before = new Map(copy?.files.map((file) => [file.path, file.sha256]) ?? []);
    const compared = image.files.filter((file) => file.sha256 && before.get(file.path));
    if (copy && compared.length === image.files.length)
      image.isWhole = compared.every((file) => before.get(file.path) === file.sha256);
  }
  const found = new Set(images.flatMap(({ state }) => (state.state === "new" ? [] : [state.image])));
  return {
    images,
    missing: copies.map(({ image }) => image).filter((image) => !found.has(image)),
    files: files.length,
    bytes: files.reduce((sum, { bytes }) => sum + bytes, 0),
  };
}

/** What was seen as it was is dated; digests are kept, or compared; and how full the store is. */
async function dateWhatIsThere(
  context: Context,
  store: StoreDetail,
  report: StoreReport,
  isThorough: boolean,
  room: { capacityBytes: number | null; usedBytes: number } | null,
): Promise<void> {
  const today = dayOf(context.now());
  const copies = await knownCopies(context, store.row.id);
  const { db: tx } = context;
  for (const image of report.images) {
    const { state } = image;
    const copy = state.state === "same" ? copies.find((each) => each.image === state.image) : undefined;
    if (!copy) continue;
    const isWhole = image.isWhole ?? image.sumRight;
    const files = image.isWhole === false || !isThorough ? copy.files : image.files;
    await noteCopy(tx, context, {
      ...{ imageId: copy.imageId, storeId: store.row.id, files, state: "there" },
      verified: isWhole === null ? null : { on: today, whole: isWhole },
    });
  }
  // What lies in a listing need not be all that is in the store: it says nothing of its room.
  if (!room) return;
  const { usedBytes } = room;
  const capacityBytes = room.capacityBytes ?? store.row.capacityBytes;
  await noteFill(tx, store.row.id, today, usedBytes);
  const measured = {
    measuredOn: today,
    ...(capacityBytes === null ? {} : { capacityBytes, freeBytes: Math.max(0, capacityBytes - usedBytes) }),
  };
  await tx.update(stores).set(measured).where(eq(stores.id, store.row.id));
}

/** Takes a listing of a store that cannot be looked into: names, sizes and times, without what is inside. */
export async function takeListing(context: Context, storeId: StoreId, text: string): Promise<Result<number>> {
  const store = await getStore(context, storeId);
  if (!store) return fail({ code: "not-found", what: "store" });
  const { files, form, freeBytes } = readListing(text);
  if (form === null) return refused({ code: "listing-unreadable" });
  const images = await holdAgainstKnown(context, store, files, async () => null);
  // Nothing of it could be opened, and that is no fault of it.
  for (const { reading } of images) reading.findings = reading.findings.filter(({ code }) => code !== "not-readable");
  const report = await reportOf(context, store, images, files);
  const times = { createdAt: context.now(), updatedAt: context.now() };
  return act(context, null, async (acting) => {
    const row = await acting.db
      .insert(storeScans)
      .values({
        storeId,
        state: "done",
        report,
        doneBytes: report.bytes,
        totalBytes: report.bytes,
        personId: context.person.id,
        ...times,
      })
      .$returningId();
    const { capacityBytes } = store.row;
    const isRoomTold = freeBytes !== null && capacityBytes !== null && freeBytes <= capacityBytes;
    const room = isRoomTold ? { capacityBytes, usedBytes: capacityBytes - freeBytes } : null;
    await dateWhatIsThere(acting, store, report, false, room);
    return ok(insertedId(row));
  });
}

/** Asks a look through a store to stop; it says so once it has. Gives whether there was one. */
export async function cancelScan(context: Context, scanId: ScanId): Promise<Result<boolean>> {
  const scan = await getScan(context, scanId);
  if (!scan || scan.state !== "running") return ok(false);
  return ok(await cancelHolder(context, holdOf(scan.storeId), scanWork));
}

export async function getScan(context: Context, scanId: ScanId): Promise<ScanRow | null> {
  const [row] = await context.db.select(scanColumns).from(storeScans).where(eq(storeScans.id, scanId));
  return row ?? null;
}

export async function latestScan(context: Context, storeId: StoreId): Promise<ScanRow | null> {
  const [row] = await context.db
    .select(scanColumns)
    .from(storeScans)
    .where(eq(storeScans.storeId, storeId))
    .orderBy(desc(storeScans.id))
    .limit(1);
  return row ?? null;
}
