import { and, asc, eq, isNull, lt, or, sql } from "drizzle-orm";
import { act } from "../act";
import { type Context, ownContext } from "../context";
import type { Database } from "../db/client";
import { affectedRows } from "../db/results";
import { benchJobs, benchLines, berths } from "../db/schema";
import { type RunnerTimes, USUAL_TIMES } from "../devices/runner-times";
import { BenchWork } from "../devices/work";
import { jobFolder } from "../host/folders";
import { DATABASE_NOW } from "../jobs/jobs";
import { log } from "../log";
import { ok } from "../problems";
import { DatabaseDesk } from "./database-desk";
import { seatFoundDevices } from "./found-berths";
import { endJob, lineOf } from "./holding";
import type { BenchJob } from "./jobs";

/** What is in the ports of this machine is looked at so often. */
const SEAT_EVERY_MS = 2000;
const LOOK_EVERY_MS = 700;

/** Takes up jobs and does them, several berths at once, until it is stopped. */
export class BenchRunner {
  private readonly running = new Map<number, Promise<void>>();
  private timer: ReturnType<typeof setTimeout> | null = null;
  private stopped = false;
  readonly name = `${process.pid}.${Math.random().toString(36).slice(2, 8)}`;

  constructor(
    private readonly db: Database,
    private readonly now: () => Date = () => new Date(),
    private readonly times: RunnerTimes = USUAL_TIMES,
  ) {}

  start(): void {
    const look = async () => {
      await this.step().catch((error: unknown) => log.error({ err: error }, "the bench could not be looked at"));
      if (!this.stopped) this.timer = setTimeout(look, LOOK_EVERY_MS);
    };
    void look();
  }

  /** Ends after the blocks that are under way; what was running is paused by nobody and goes on at the next start. */
  async stop(): Promise<void> {
    this.stopped = true;
    if (this.timer) clearTimeout(this.timer);
    // A job that is being taken up is as good as running.
    while (this.running.size + this.steps.size > 0) await Promise.all([...this.running.values(), ...this.steps]);
  }

  /** Steps that are under way, each as a promise that is fulfilled once it is over, however it went. */
  private readonly steps = new Set<Promise<void>>();

  /** Tells what others left behind, and takes up whatever is queued. */
  async step(): Promise<void> {
    const step = this.stepOnce();
    const over = step.catch(() => {});
    this.steps.add(over);
    await step.finally(() => this.steps.delete(over));
  }

  private async stepOnce(): Promise<void> {
    await this.seat();
    await markInterrupted(this.db, this.now(), this.times);
    for (let job = await this.claim(); job; job = await this.claim()) {
      const running = job;
      const work = this.run(running)
        .catch((error: unknown) => this.broke(running, error))
        .finally(() => this.running.delete(running.id));
      this.running.set(running.id, work);
    }
  }

  private get own(): Context {
    return ownContext(this.db, this.now);
  }

  private seatedAt = Number.NEGATIVE_INFINITY;

  private async seat(): Promise<void> {
    if (performance.now() - this.seatedAt < SEAT_EVERY_MS) return;
    this.seatedAt = performance.now();
    await seatFoundDevices(this.own);
  }

  /** Waits until nothing is running any more. */
  async idle(): Promise<void> {
    while (this.running.size > 0) await Promise.all(this.running.values());
  }

  private async claim(): Promise<BenchJob | null> {
    if (this.stopped) return null;
    const claimed = await act(this.own, null, async ({ db: tx }) => {
      // What is in a port of a bench host is done there.
      const [found] = await tx
        .select({ job: benchJobs })
        .from(benchJobs)
        .innerJoin(berths, eq(berths.id, benchJobs.berthId))
        .where(and(eq(benchJobs.state, "queued"), isNull(berths.hostId)))
        .orderBy(asc(benchJobs.id))
        .limit(1)
        .for("update", { skipLocked: true });
      if (!found) return ok(null);
      const { job } = found;
      const at = this.now();
      const taken = await tx
        .update(benchJobs)
        .set({
          state: "running",
          runner: this.name,
          heartbeatAt: DATABASE_NOW,
          startedAt: job.startedAt ?? at,
          phase: "open",
        })
        .where(and(eq(benchJobs.id, job.id), eq(benchJobs.state, "queued")));
      return ok(affectedRows(taken) === 1 ? job : null);
    });
    return claimed.ok ? claimed.value : null;
  }

  private async run(job: BenchJob): Promise<void> {
    const desk = new DatabaseDesk(this.db, job, this.name, this.now);
    await new BenchWork(desk, jobFolder(job.id), this.name, this.times, () => this.stopped).run();
  }

  /** A fault of ours: the log has it, and the job can be let go on. */
  private async broke(job: BenchJob, error: unknown): Promise<void> {
    log.error({ err: error, job: job.id }, "a job of the bench broke off");
    const line = { code: "interrupted" } as const;
    await endJob(this.db, this.now, job.id, this.name, { state: "interrupted" }, line).catch((trouble: unknown) =>
      // It is found silent, and told then.
      log.error({ err: trouble, job: job.id }, "how a job of the bench ended could not be kept"),
    );
  }
}

/** Jobs whose runner has gone silent, by the clock of the database, are interrupted: they say so, and can go on. */
export async function markInterrupted(
  db: Database,
  now: Date,
  { silentAfter }: Pick<RunnerTimes, "silentAfter"> = USUAL_TIMES,
): Promise<void> {
  const isSilent = and(
    eq(benchJobs.state, "running"),
    or(
      isNull(benchJobs.heartbeatAt),
      lt(benchJobs.heartbeatAt, sql`${DATABASE_NOW} - INTERVAL ${silentAfter * 1000} MICROSECOND`),
    ),
  );
  const rows = await db.select({ id: benchJobs.id }).from(benchJobs).where(isSilent);
  for (const { id } of rows)
    await act(
      ownContext(db, () => now),
      null,
      async ({ db: tx }) => {
        const result = await tx
          .update(benchJobs)
          .set({ state: "interrupted" })
          .where(and(eq(benchJobs.id, id), isSilent));
        if (affectedRows(result) === 1) await tx.insert(benchLines).values(lineOf(id, { code: "interrupted" }, now));
        return ok(null);
      },
    );
}
