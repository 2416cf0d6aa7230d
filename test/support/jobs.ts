import { eq } from "drizzle-orm";
import type { Context } from "@/server/context";
import { jobs } from "@/server/db/schema";
import { Engine } from "@/server/jobs/engine";
import { KINDS } from "@/server/work/kinds";

/**
 * Does whatever waits, to its end, as a server does; `only`: one after the other of that kind; `host`: also what only that
 * server can do.
 */
export async function doJobs(context: Context, only?: string, host?: string): Promise<void> {
  const kind = only === undefined ? undefined : KINDS[only];
  const kinds = kind && only !== undefined ? { [only]: { ...kind, slots: 1 } } : KINDS;
  const engine = new Engine(context.db, kinds, { now: context.now, ...(host ? { host } : {}) });
  try {
    await engine.look();
  } finally {
    await engine.drain();
  }
}

/** Whoever has a job is gone, as a killed server is: the next look takes it up anew. */
export async function loseWorkers({ db }: Context): Promise<void> {
  await db
    .update(jobs)
    .set({ attempts: 0, leaseUntil: new Date(0) })
    .where(eq(jobs.state, "running"));
}
