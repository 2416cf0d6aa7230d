import { randomBytes } from "node:crypto";
import { and, asc, desc, eq, gt, inArray, isNull, or, sql } from "drizzle-orm";
import { act, errorNumber } from "../act";
import type { Context } from "../context";
import type { JobId } from "../db/ids";
import { affectedRows, insertedId } from "../db/results";
import { type JobFailure, jobLines, jobs } from "../db/schema";
import { fail, ok, type Result, refused } from "../problems";

export type Job = typeof jobs.$inferSelect;
type JobState = Job["state"];

/** The time by the database: processes whose clocks differ agree on it. */
export const DATABASE_NOW = sql`UTC_TIMESTAMP(3)`;

export interface NewJob {
  kind: string;
  payload: object;
  /** The only server that may do it. */
  host?: string;
  /** What it has to itself while it is open. */
  holds?: string;
  /** What is done once and never again. */
  once?: string;
  /** Not before; at once where it is left out. */
  dueAt?: Date;
}

/**
 * Queues work, in the act of whoever asks for it. Gives its id. Problems: `taken` where what it holds is held by
 * another, or what is done once was asked for already.
 */
export function enqueue(context: Context, job: NewJob): Promise<Result<number>> {
  const { kind, payload, host = null, holds = null, once = null, dueAt } = job;
  const unique = { field: "job", value: holds ?? once ?? kind };
  return act(context, unique, async ({ db }) => {
    const row = await db
      .insert(jobs)
      .values({
        ...{ kind, payload, host, holds, once },
        dueAt: dueAt ?? DATABASE_NOW,
        personId: context.person.id === 0 ? null : context.person.id,
        createdAt: context.now(),
      })
      .$returningId();
    return ok(insertedId(row));
  });
}

/**
 * Asks a job to pause or to end. One that waits does so at once ("told"); of one that is done by a worker, here or
 * elsewhere, it is asked ("asked"), and is said once the worker has stopped.
 */
export function askOfJob(context: Context, id: JobId, wish: "pause" | "cancel"): Promise<Result<"told" | "asked">> {
  return act(context, null, async ({ db }): Promise<Result<"told" | "asked">> => {
    const asked = await db
      .update(jobs)
      .set({ wish })
      .where(and(eq(jobs.id, id), eq(jobs.state, "running")));
    if (affectedRows(asked) === 1) return ok("asked");
    const [job] = await db.select({ state: jobs.state }).from(jobs).where(eq(jobs.id, id));
    if (!job) return fail({ code: "not-found", what: "job" });
    const told = wish === "cancel" ? endOf("cancelled") : { state: "paused" as const };
    const waiting: JobState[] = wish === "cancel" ? ["queued", "paused", "interrupted"] : ["queued"];
    const result = await db
      .update(jobs)
      .set({ ...told, wish: null })
      .where(and(eq(jobs.id, id), inArray(jobs.state, waiting)));
    return affectedRows(result) === 1 ? ok("told") : refused({ code: "job-over", state: job.state, wish });
  });
}

/** Lets a job go on that was paused or interrupted. */
export function resumeJob(context: Context, id: JobId): Promise<Result<number>> {
  return act(context, null, async ({ db }): Promise<Result<number>> => {
    const result = await db
      .update(jobs)
      .set({ state: "queued", wish: null, dueAt: DATABASE_NOW })
      .where(and(eq(jobs.id, id), inArray(jobs.state, ["paused", "interrupted"])));
    if (affectedRows(result) === 1) return ok(id);
    const [job] = await db.select({ state: jobs.state }).from(jobs).where(eq(jobs.id, id));
    return job ? refused({ code: "job-cannot-resume", state: job.state }) : fail({ code: "not-found", what: "job" });
  });
}

/** What is written where a job ends: it holds nothing any more. */
export function endOf(state: "done" | "failed" | "cancelled") {
  return { state, holds: null, token: null, leaseUntil: null, wish: null, endedAt: DATABASE_NOW };
}

export async function getJobRow(context: Context, id: JobId): Promise<Job | null> {
  const [row] = await context.db.select().from(jobs).where(eq(jobs.id, id));
  return row ?? null;
}

export function linesOf(context: Context, id: JobId, limit = 500): Promise<{ at: Date; line: { code: string } }[]> {
  return context.db
    .select({ at: jobLines.at, line: jobLines.line })
    .from(jobLines)
    .where(eq(jobLines.jobId, id))
    .orderBy(asc(jobLines.id))
    .limit(limit);
}

/** A name that no other worker has. */
export function newToken(): string {
  return `${process.pid}.${randomBytes(9).toString("base64url")}`;
}

/** Why something broke off, told apart: whoever reads it can make room, or wait, or look into the log. */
export function failureOf(error: unknown): JobFailure {
  for (let cause = error; cause instanceof Error; cause = cause.cause) {
    if ("code" in cause && (cause.code === "ENOSPC" || cause.code === "EDQUOT")) return "disk-full";
  }
  // The database's own: "The table is full", "No space left on device".
  return [1114, 1021].includes(errorNumber(error) ?? 0) ? "disk-full" : "fault";
}

/** What a page that follows work is told of a job. */
export type JobTold = Pick<Job, "id" | "kind" | "payload" | "state" | "progress">;

const TOLD_MOST = 200;

/** Jobs that somebody waits for: those that are not done yet, and those that ended within so many milliseconds. */
export function jobsTold({ db }: Context, withinMs: number): Promise<JobTold[]> {
  const { id, kind, payload, state, progress, endedAt, once } = jobs;
  return db
    .select({ id, kind, payload, state, progress })
    .from(jobs)
    .where(
      or(
        and(inArray(state, ["queued", "running", "paused", "interrupted"]), isNull(once)),
        gt(endedAt, sql`${DATABASE_NOW} - INTERVAL ${withinMs * 1000} MICROSECOND`),
      ),
    )
    .orderBy(desc(id))
    .limit(TOLD_MOST);
}
