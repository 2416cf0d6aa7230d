import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { mkdir, readdir, rename, rm, stat, statfs } from "node:fs/promises";
import { join } from "node:path";
import { and, desc, eq, inArray, isNull, lt } from "drizzle-orm";
import { z } from "zod";
import { act } from "../act";
import type { Context } from "../context";
import type { UploadId } from "../db/ids";
import { affectedRows, nameOf } from "../db/results";
import { inspections, kits, people, releases, uploads } from "../db/schema";
import { dataFolder, folderIdentity, libraryFolder, uploadsFolder } from "../host/folders";
import { recordEvent } from "../inventory/events";
import type { JobKind } from "../jobs/engine";
import { enqueue, type Job } from "../jobs/jobs";
import { checked, fail, ok, type Result, refused } from "../problems";

export const UPLOAD_KIND = "library-upload";
/** What stays free on the server's disk, for its database and its work. */
const SPARE_BYTES = 1 << 30;
/** What has not arrived after so long is given up. */
const GIVEN_UP_DAYS = 7;
const DAY_MS = 86_400_000;

type UploadRow = typeof uploads.$inferSelect;

/** A release's file as the library should have it. */
interface LibraryEntry {
  releaseId: number;
  kit: string;
  release: string;
  name: string;
  bytes: number;
  sha256: string | null;
  isThere: boolean;
}

export interface Library {
  entries: LibraryEntry[];
  /** Files that no release was read from. */
  others: { name: string; bytes: number }[];
  freeBytes: number | null;
}

/** A plain name, which leads nowhere but into the folder that it is put into. */
const isPlainName = (name: string) => !/[/\\\0]/.test(name) && name !== "." && name !== ".." && name.length > 0;

/** Bytes free for more files; null where the disk does not tell. */
async function freeBytes(): Promise<number | null> {
  await mkdir(dataFolder(), { recursive: true });
  const room = await statfs(dataFolder()).catch(() => null);
  return room && Math.max(0, room.bavail * room.bsize - SPARE_BYTES);
}

/** The files in the library itself, by name. */
async function libraryFiles(): Promise<Map<string, number>> {
  const entries = await readdir(libraryFolder(), { withFileTypes: true }).catch(() => []);
  const files = new Map<string, number>();
  for (const entry of entries)
    if (entry.isFile()) {
      const found = await stat(join(libraryFolder(), entry.name)).catch(() => null);
      if (found) files.set(entry.name, found.size);
    }
  return files;
}

/** What the library has, what it lacks, and what nobody needs. */
export async function readLibrary({ db }: Context): Promise<Library> {
  const [rows, files, free] = await Promise.all([
    db
      .select({
        ...{ releaseId: releases.id, release: releases.name, kit: kits.name },
        ...{ name: inspections.fileName, bytes: inspections.bytes, sha256: inspections.sha256 },
      })
      .from(releases)
      .innerJoin(kits, eq(kits.id, releases.kitId))
      .innerJoin(inspections, eq(inspections.id, releases.inspectionId))
      .orderBy(kits.name, desc(releases.id)),
    libraryFiles(),
    freeBytes(),
  ]);
  const named = new Set(rows.map(({ name }) => name));
  return {
    entries: rows.map((row) => ({ ...row, isThere: files.get(row.name) === row.bytes })),
    others: [...files].filter(([name]) => !named.has(name)).map(([name, bytes]) => ({ name, bytes })),
    freeBytes: free,
  };
}

/** Uploads that are not over, and those that ended within a day, the latest first. */
export function listUploads({ db }: Context, limit = 20): Promise<(UploadRow & { by: string })[]> {
  return db
    .select({
      ...{ id: uploads.id, key: uploads.key, releaseId: uploads.releaseId, name: uploads.name, bytes: uploads.bytes },
      ...{ sha256: uploads.sha256, state: uploads.state, trouble: uploads.trouble, personId: uploads.personId },
      ...{ createdAt: uploads.createdAt, updatedAt: uploads.updatedAt, by: nameOf(uploads.personId) },
    })
    .from(uploads)
    .orderBy(desc(uploads.id))
    .limit(limit);
}

export const uploadWishSchema = z.object({
  release: z.coerce.number().int().positive(),
  bytes: z.number().int().min(1).max(Number.MAX_SAFE_INTEGER),
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
});
export type UploadWish = z.infer<typeof uploadWishSchema>;

/** Whether a file may be sent: it is one of a release, is not there yet, and has room. Gives what it is called. */
export async function mayUpload(context: Context, input: unknown): Promise<Result<{ name: string; isThere: boolean }>> {
  const parsed = checked(uploadWishSchema, input);
  if (!parsed.ok) return parsed;
  const { release, bytes, sha256 } = parsed.value;
  const { entries, freeBytes: free } = await readLibrary(context);
  const entry = entries.find(({ releaseId }) => releaseId === release);
  if (!entry || !isPlainName(entry.name)) return fail({ code: "not-found", what: "file of a release" });
  const { name } = entry;
  if (entry.bytes !== bytes) return refused({ code: "upload-other-size", file: name, bytes, needed: entry.bytes });
  if (entry.sha256 !== null && entry.sha256 !== sha256) return refused({ code: "upload-other-file", file: name });
  if (entry.isThere) return ok({ name, isThere: true });
  if (free !== null && free < bytes) return refused({ code: "library-full", free, needed: bytes });
  return ok({ name, isThere: false });
}

/** Notes an upload that has begun under a key of the protocol's. */
export async function noteUpload(context: Context, key: string, name: string, wish: UploadWish): Promise<Result<null>> {
  return act(context, { field: "upload", value: key }, async ({ db: tx, person, now }) => {
    const times = { createdAt: now(), updatedAt: now() };
    const { release: releaseId, bytes, sha256 } = wish;
    await tx
      .insert(uploads)
      .values({ key, releaseId, name, bytes, sha256, state: "sending", personId: person.id, ...times });
    return ok(null);
  });
}

/** All of an upload has arrived: it is checked by a job, once, however often this is said. */
export async function uploadArrived(context: Context, key: string): Promise<Result<null>> {
  return act(context, null, async (acting) => {
    const changed = await acting.db
      .update(uploads)
      .set({ state: "checking", updatedAt: acting.now() })
      .where(and(eq(uploads.key, key), eq(uploads.state, "sending")));
    if (affectedRows(changed) === 0) return ok(null);
    const row = await acting.db.query.uploads.findFirst({ where: eq(uploads.key, key) });
    // What has arrived lies in a folder of this server's.
    const where = { host: folderIdentity(), once: `upload ${key}` };
    const queued = await enqueue(acting, { kind: UPLOAD_KIND, payload: { upload: row?.id }, ...where });
    return queued.ok ? ok(null) : queued;
  });
}

/** Gives up an upload, and removes what has arrived of it. */
export async function cancelUpload(context: Context, key: string): Promise<Result<null>> {
  const cancelled = await act(context, null, async ({ db: tx, now }): Promise<Result<null>> => {
    const changed = await tx
      .update(uploads)
      .set({ state: "cancelled", updatedAt: now() })
      .where(and(eq(uploads.key, key), eq(uploads.state, "sending")));
    return affectedRows(changed) === 1 ? ok(null) : fail({ code: "not-found", what: "upload" });
  });
  if (cancelled.ok) await removeArrived(key);
  return cancelled;
}

const arrivedAt = (key: string) => join(uploadsFolder(), key);

async function removeArrived(key: string): Promise<void> {
  if (!isPlainName(key)) return;
  for (const path of [arrivedAt(key), `${arrivedAt(key)}.json`]) await rm(path, { force: true });
}

const uploadOf = ({ payload }: Job) => (payload as { upload: UploadId }).upload;

/** Holds what arrived against what was sent, and puts it into the library. */
export const uploadWork: JobKind = {
  isRepeatable: true,
  slots: 1,
  run: async (work) => {
    const row = await work.context.db.query.uploads.findFirst({ where: eq(uploads.id, uploadOf(work.job)) });
    if (!row || row.state !== "checking") return null;
    const to = join(libraryFolder(), row.name);
    // It was put there by a worker that was lost before it could say so.
    const from = (await stat(arrivedAt(row.key)).catch(() => null)) ? arrivedAt(row.key) : to;
    const hash = createHash("sha256");
    for await (const chunk of createReadStream(from, { highWaterMark: 1 << 20 })) {
      hash.update(chunk);
      work.check();
    }
    if (hash.digest("hex") !== row.sha256) return { isSame: false };
    work.check();
    await mkdir(libraryFolder(), { recursive: true });
    if (from !== to) await rename(from, to);
    return { isSame: true };
  },
  ended: async (acting, job, end) => {
    const id = uploadOf(job);
    const row = await acting.db.query.uploads.findFirst({ where: eq(uploads.id, id) });
    if (!row || row.state !== "checking") return;
    const isSame = end.state === "done" && (end.result as { isSame?: boolean } | null)?.isSame === true;
    const trouble = end.state === "failed" ? (end.failure === "disk-full" ? "disk-full" : "unforeseen") : "differs";
    const set = isSame ? ({ state: "done", trouble: null } as const) : ({ state: "failed", trouble } as const);
    await acting.db
      .update(uploads)
      .set({ ...set, updatedAt: acting.now() })
      .where(eq(uploads.id, id));
    if (isSame) {
      // From now on this is the file that the release is known by, to the byte.
      const [release] = await acting.db
        .select({ inspectionId: releases.inspectionId })
        .from(releases)
        .where(eq(releases.id, row.releaseId));
      if (release?.inspectionId)
        await acting.db
          .update(inspections)
          .set({ sha256: row.sha256 })
          .where(and(eq(inspections.id, release.inspectionId), isNull(inspections.sha256)));
      const [by] = await acting.db.select().from(people).where(eq(people.id, row.personId));
      const person = { id: row.personId, name: by?.name ?? "" };
      await recordEvent(
        acting.db,
        { ...acting, person },
        {
          ...{ entity: "library file", entityId: id, entityTag: row.name.slice(0, 120), action: "added", version: 1 },
          ...{ before: null, after: { bytes: row.bytes, sha256: row.sha256 } },
        },
      );
    }
    await removeArrived(row.key);
  },
};

/** Removes a file that no release was read from. Problems: `not-found`, also for one that a release needs. */
export async function removeLibraryFile(context: Context, name: string): Promise<Result<null>> {
  const { others } = await readLibrary(context);
  const file = others.find((each) => each.name === name);
  if (!file || !isPlainName(name)) return fail({ code: "not-found", what: "file that no release needs" });
  return act(context, null, async (acting) => {
    await recordEvent(acting.db, acting, {
      ...{ entity: "library file", entityId: 0, entityTag: name.slice(0, 120), action: "removed", version: 1 },
      ...{ before: { bytes: file.bytes }, after: null },
    });
    await rm(join(libraryFolder(), name), { force: true });
    return ok(null);
  });
}

/** Gives up what was not sent on for a week. */
export async function giveUpOldUploads(context: Context): Promise<void> {
  const before = new Date(context.now().getTime() - GIVEN_UP_DAYS * DAY_MS);
  const old = await context.db
    .select({ key: uploads.key })
    .from(uploads)
    .where(and(inArray(uploads.state, ["sending"]), lt(uploads.createdAt, before)));
  for (const { key } of old) await cancelUpload(context, key);
}
