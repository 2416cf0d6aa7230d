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
