import { and, eq } from "drizzle-orm";
import type { BenchLine } from "@/core/making/jobs/job";
import { act } from "../act";
import { type Context, ownContext } from "../context";
import type { Database } from "../db/client";
import type { BenchJobId } from "../db/ids";
import { affectedRows } from "../db/results";
import { benchJobs, benchLines } from "../db/schema";
import { ok } from "../problems";
import type { BenchJob } from "./jobs";

/** Milliseconds. */
export interface RunnerTimes {
  /** A runner that has not been heard of for so long is gone: what it was at is interrupted. */
  silentAfter: number;
  /** It holds its job for so long after a word of it, by its own clock: less than until it is taken for silent. */
  held: number;
  tellEvery: number;
}

export const USUAL_TIMES: RunnerTimes = { silentAfter: 15_000, held: 13_000, tellEvery: 500 };

/** Thrown where a job is another runner's by now: nothing more is written. */
export class RunnerGone extends Error {}
export const GONE = Symbol("gone");

export const lineOf = (jobId: BenchJobId, line: BenchLine, at: Date) => ({ jobId, at, line });

export async function linesSaid({ db }: Context, jobId: BenchJobId): Promise<BenchLine[]> {
  const rows = await db.select({ line: benchLines.line }).from(benchLines).where(eq(benchLines.jobId, jobId));
  return rows.map(({ line }) => line);
}

export const isHeldBy = (jobId: BenchJobId, runner: string) =>
  and(eq(benchJobs.id, jobId), eq(benchJobs.state, "running"), eq(benchJobs.runner, runner));

/** Says how a job ended, with its last line, where it is still this runner's. */
export async function endJob(
  db: Database,
  now: () => Date,
  jobId: BenchJobId,
  runner: string,
  set: Partial<BenchJob>,
  line: BenchLine,
): Promise<void> {
  await act(ownContext(db, now), null, async ({ db: tx }) => {
    const ended = await tx.update(benchJobs).set(set).where(isHeldBy(jobId, runner));
    if (affectedRows(ended) === 1) await tx.insert(benchLines).values(lineOf(jobId, line, now()));
    return ok(null);
  });
}
