import { and, asc, eq, gt, inArray, isNotNull, isNull, lt, lte, or, sql } from "drizzle-orm";
import { act, isDatabaseGone } from "../act";
import { type Context, ownContext } from "../context";
import type { Database } from "../db/client";
import { affectedRows } from "../db/results";
import { type JobProgress, jobLines, jobs, people } from "../db/schema";
import { log } from "../log";
import { fail, ok, type Result } from "../problems";
import { DATABASE_NOW, endOf, failureOf, type Job, newToken } from "./jobs";

/** How a job ended, for whoever keeps what it was about. */
export type JobEnd =
  | { state: "done"; result: object | null }
  | { state: "failed"; failure: NonNullable<Job["failure"]> }
  | { state: "cancelled" | "paused" | "interrupted" };

/** A kind of work. */
export interface JobKind {
  /** Whether it may be done again from its start where its worker is gone. What may not is then interrupted. */
  isRepeatable: boolean;
  /** How many of it a process does at once; any number where it is left out. */
  slots?: number;
  /** Does it; gives its result, an object. What it writes it writes by `work.act`, so that nobody else has taken it over. */
  run: (work: Work) => Promise<object | null>;
  /** Keeps how it ended, and its result, with what it was about, in the act that ends it. */
  ended?: (acting: Context, job: Job, end: JobEnd) => Promise<void>;
}

/** A kind that comes round by itself. */
export interface Round {
  kind: string;
  /** The next one by the database's clock: what it is done once for, and when. */
  next: (now: Date) => { once: string; dueAt: Date };
}

/** Thrown where a worker must not go on: another one has its job, somebody asked for it, or its server ends. */
export class Stopped extends Error {
  constructor(readonly why: "lease-gone" | "pause" | "cancel" | "server") {
    super(why);
  }
}

/** Thrown by a kind that could not finish now: it is done again after a while, and is not counted as failed. */
export class Again extends Error {
  constructor(readonly afterMs: number) {
    super("again");
  }
}

export interface EngineTimes {
  /** For how long a job is somebody's without a word of them. */
  leaseMs: number;
  /** Between two words. */
  beatMs: number;
  /** Between two looks at what waits. */
  lookMs: number;
}

const USUAL_TIMES: EngineTimes = { leaseMs: 15_000, beatMs: 1000, lookMs: 300 };
/** A job whose worker was lost so often is not tried again: it may be what ends them. */
const ATTEMPTS_MOST = 5;

const BEAT_TROUBLE = "a word about jobs could not be given";

/** Rounds that were done are told for so long. */
const ROUNDS_KEPT_MS = 3 * 86_400_000;

/** One job in the hands of one worker. */
export class Work {
  private wish: "pause" | "cancel" | null = null;
  private isStopping = false;
  private readonly abort = new AbortController();
  progress: JobProgress = { phase: null, done: 0, total: 0 };
  /** Until when the lease holds, by this process's own clock that nobody sets (performance.now). */
  private heldUntil: number;

  constructor(
    readonly job: Job,
    /** Of whoever asked for it. */
    readonly context: Context,
    readonly token: string,
    askedAt: number,
    private readonly leaseMs: number,
  ) {
    this.heldUntil = askedAt + leaseMs;
  }

  /** Ends what is waited for where this worker must not go on. */
  get signal(): AbortSignal {
    return this.abort.signal;
  }

  /** The lease was renewed by a word that was sent at `askedAt`. */
  renew(askedAt: number): void {
    this.heldUntil = askedAt + this.leaseMs;
  }

  lose(): void {
    this.heldUntil = Number.NEGATIVE_INFINITY;
    this.hear(this.wish);
  }

  /** What somebody asks of it. */
  hear(wish: "pause" | "cancel" | null): void {
    this.wish = wish;
    if (!this.isHeld || wish !== null || this.isStopping) this.abort.abort();
  }

  /** Its server ends; what somebody asked of it before counts first. */
  end(): void {
    this.isStopping = true;
    this.hear(this.wish);
  }

  get isHeld(): boolean {
    return performance.now() < this.heldUntil;
  }

  /** Before each write: throws `Stopped` where this worker must not go on. */
  check(): void {
    if (!this.isHeld) throw new Stopped("lease-gone");
    if (this.wish !== null) throw new Stopped(this.wish);
    if (this.isStopping) throw new Stopped("server");
  }

  tell(phase: string | null, done: number, total: number): void {
    this.progress = { phase, done, total };
  }

  /** Keeps the result in the act that brings it about: whoever takes the job up after that finds it in `job.result`. */
  async keepResult({ db }: Context, result: object): Promise<void> {
    await db.update(jobs).set({ result }).where(eq(jobs.id, this.job.id));
  }

  async say(line: { code: string }): Promise<void> {
    const said = await this.act(async ({ db }) => {
      await db.insert(jobLines).values({ jobId: this.job.id, at: DATABASE_NOW, line });
      return ok(null);
    });
    if (!said.ok) throw new Error(said.problem.code);
  }

  /** An act that is kept only where the job is still this worker's. Throws `Stopped` where it is not. */
  async act<T>(
    run: (acting: Context) => Promise<Result<T>>,
    unique: { field: string; value: string } | null = null,
  ): Promise<Result<T>> {
    let isGone = false;
    const result = await act(this.context, unique, async (acting): Promise<Result<T>> => {
      const its = await run(acting);
      if (!its.ok) return its;
      // The row itself is touched, so that no other node takes it over at the same time; and last, since the words
      // that keep the lease wait for it.
      const touched = await acting.db
        .update(jobs)
        .set({ attempts: sql`${jobs.attempts}` })
        .where(isOurs(this));
      isGone = affectedRows(touched) !== 1;
      return isGone ? fail({ code: "not-found", what: "job" }) : its;
    });
    if (isGone) throw new Stopped("lease-gone");
    return result;
  }
}

const isOurs = ({ job, token }: Pick<Work, "job" | "token">) =>
  and(eq(jobs.id, job.id), eq(jobs.state, "running"), eq(jobs.token, token), gt(jobs.leaseUntil, DATABASE_NOW));

/** Does whatever waits, of the kinds that it knows, until it is stopped. Any number of processes may have one. */
export class Engine {
  private readonly running = new Map<number, { work: Work; end: Promise<void> }>();
  private readonly timers = new Set<ReturnType<typeof setTimeout>>();
  private isStopped = false;
  private readonly times: EngineTimes;

  constructor(
    private readonly db: Database,
    private readonly kinds: Readonly<Record<string, JobKind>>,
    private readonly options: {
      now?: () => Date;
      host?: string;
      rounds?: readonly Round[];
      times?: Partial<EngineTimes>;
    } = {},
  ) {
    this.times = { ...USUAL_TIMES, ...options.times };
  }

  start(): void {
    this.repeat(this.times.lookMs, () => this.look(), "jobs could not be looked at");
    this.repeat(this.times.beatMs, () => this.beat(), BEAT_TROUBLE);
  }

  /**
   * Ends after what is under way has stopped at its next step, and keeps its leases until then. What may be repeated is
   * taken up by others at once.
   */
  async stop(): Promise<void> {
    this.isStopped = true;
    for (const timer of this.timers) clearTimeout(timer);
    for (const { work } of this.running.values()) work.end();
    await this.drain();
  }

  /** Waits until nothing is running here any more, and says meanwhile that it is alive, whatever is started or not. */
  async drain(): Promise<void> {
    const beating = setInterval(
      () => void this.beat().catch((error: unknown) => log.error({ err: error }, BEAT_TROUBLE)),
      this.times.beatMs,
    );
    await this.idle().finally(() => clearInterval(beating));
  }

  /** Waits until nothing is running here any more; of one that was stopped, also until nothing is being taken up. */
  async idle(): Promise<void> {
    while (this.running.size > 0 || (this.isStopped && this.looks.size > 0))
      await Promise.all([...[...this.running.values()].map(({ end }) => end), ...(this.isStopped ? this.looks : [])]);
  }

  private repeat(everyMs: number, run: () => Promise<unknown>, trouble: string): void {
    const again = async () => {
      await run().catch((error: unknown) => log.error({ err: error }, trouble));
      if (this.isStopped) return;
      const timer = setTimeout(() => {
        this.timers.delete(timer);
        void again();
      }, everyMs);
      this.timers.add(timer);
    };
    void again();
  }

  /** Looks that are under way, each as a promise that is fulfilled once it is over, however it went. */
  private readonly looks = new Set<Promise<void>>();

  /** Puts right what others left behind, queues what comes round, and takes up what waits. */
  async look(): Promise<void> {
    const looking = this.lookOnce();
    const over = looking.catch(() => {});
    this.looks.add(over);
    await looking.finally(() => this.looks.delete(over));
  }

  private async lookOnce(): Promise<void> {
    // What is looked for less often than for work that waits.
    if (this.isTime("reclaim", this.times.leaseMs / 5)) await this.reclaim();
    if (this.isTime("rounds", this.times.leaseMs)) await this.comeRound();
    for (let work = await this.claim(); work; work = await this.claim()) {
      const taken = work;
      // It was stopped while the database gave it this one: that goes to others at its first step.
      if (this.isStopped) taken.end();
      const end = this.do(taken).finally(() => this.running.delete(taken.job.id));
      this.running.set(taken.job.id, { work: taken, end });
    }
  }

  private readonly looked = new Map<string, number>();

  private isTime(what: string, everyMs: number): boolean {
    const [now, last] = [performance.now(), this.looked.get(what)];
    if (last !== undefined && now - last < everyMs) return false;
    this.looked.set(what, now);
    return true;
  }

  private get now(): () => Date {
    return this.options.now ?? (() => new Date());
  }

  private get own(): Context {
    return ownContext(this.db, this.now);
  }

  /** Jobs whose workers were not heard of until their leases ran out. */
  private async reclaim(): Promise<void> {
    const isLost = and(eq(jobs.state, "running"), lt(jobs.leaseUntil, DATABASE_NOW));
    const lost = await this.db
      .select()
      .from(jobs)
      .where(and(isLost, inArray(jobs.kind, Object.keys(this.kinds))))
      .limit(100);
    for (const job of lost) {
      const kind = this.kinds[job.kind];
      if (!kind) continue;
      const end = endOfLost(job, kind);
      await act(this.own, null, async (acting) => {
        const { db } = acting;
        const set = end === null ? { state: "queued" as const, token: null, leaseUntil: null } : columnsOf(end);
        const taken = await db
          .update(jobs)
          .set(set)
          .where(and(eq(jobs.id, job.id), isLost));
        if (affectedRows(taken) !== 1) return ok(null);
        const code = end === null ? "taken-over" : end.state;
        await db.insert(jobLines).values({ jobId: job.id, at: DATABASE_NOW, line: { code } });
        if (end !== null) await kind.ended?.(acting, job, end);
        return ok(null);
      });
    }
  }

  private async comeRound(): Promise<void> {
    const rounds = this.options.rounds ?? [];
    if (rounds.length === 0) return;
    const now = await databaseNow(this.db);
    for (const { kind, next } of rounds) {
      const { once, dueAt } = next(now);
      const key = `${kind} ${once}`;
      if (this.asked.has(key)) continue;
      // Whoever comes second finds it there already.
      await this.db
        .insert(jobs)
        .values({ kind, payload: { once }, once: key, dueAt, createdAt: now })
        .onDuplicateKeyUpdate({ set: { once: key } });
      const old = new Date(now.getTime() - ROUNDS_KEPT_MS);
      await this.db.delete(jobs).where(and(eq(jobs.kind, kind), isNotNull(jobs.once), lt(jobs.endedAt, old)));
      this.asked.add(key);
    }
  }

  /** Rounds that are in the database for sure. */
  private readonly asked = new Set<string>();

  private async claim(): Promise<Work | null> {
    if (this.isStopped) return null;
    const taken = [...this.running.values()].map(({ work }) => work.job.kind);
    const free = Object.entries(this.kinds).flatMap(([name, { slots = Number.POSITIVE_INFINITY }]) =>
      taken.filter((kind) => kind === name).length < slots ? [name] : [],
    );
    if (free.length === 0) return null;
    const askedAt = performance.now();
    const token = newToken();
    const { host } = this.options;
    const claimed = await act(this.own, null, async ({ db }) => {
      const [job] = await db
        .select()
        .from(jobs)
        .where(
          and(
            eq(jobs.state, "queued"),
            lte(jobs.dueAt, DATABASE_NOW),
            inArray(jobs.kind, free),
            host === undefined ? isNull(jobs.host) : or(isNull(jobs.host), eq(jobs.host, host)),
          ),
        )
        .orderBy(asc(jobs.dueAt), asc(jobs.id))
        .limit(1)
        .for("update", { skipLocked: true });
      if (!job) return ok(null);
      const claimedRow = await db
        .update(jobs)
        .set({
          // What is asked of it meanwhile is heard by whoever has it.
          ...{ state: "running", token, failure: null },
          leaseUntil: sql`${DATABASE_NOW} + INTERVAL ${this.times.leaseMs * 1000} MICROSECOND`,
          attempts: sql`${jobs.attempts} + 1`,
          startedAt: sql`COALESCE(${jobs.startedAt}, ${DATABASE_NOW})`,
        })
        .where(and(eq(jobs.id, job.id), eq(jobs.state, "queued")));
      return ok(affectedRows(claimedRow) === 1 ? job : null);
    });
    if (!claimed.ok || claimed.value === null) return null;
    return new Work(
      { ...claimed.value, attempts: claimed.value.attempts + 1 },
      await this.contextOf(claimed.value),
      token,
      askedAt,
      this.times.leaseMs,
    );
  }

  private async contextOf({ personId }: Job): Promise<Context> {
    if (personId === null) return this.own;
    const [person] = await this.db
      .select({ id: people.id, name: people.name })
      .from(people)
      .where(eq(people.id, personId));
    return { ...this.own, person: person ?? { id: personId, name: "" } };
  }

  private async do(work: Work): Promise<void> {
    const kind = this.kinds[work.job.kind];
    if (!kind) return;
    const ended = await this.ran(work, kind);
    if (ended === "lease-gone")
      return log.warn({ job: work.job.id, kind: work.job.kind }, "a job is another worker's by now");
    for (;;) {
      try {
        return await this.finish(work, kind, ended);
      } catch (error) {
        // A database that was gone for a moment hears of it when it is back. Where the lease has run out until then, or
        // it is anything else, it is not told as a failure: it is taken up, or told, by whoever finds it.
        if (!isDatabaseGone(error) || !work.isHeld)
          return log.error({ err: error, job: work.job.id }, "how a job ended could not be kept");
        await new Promise((resolve) => setTimeout(resolve, this.times.beatMs));
      }
    }
  }

  private async ran(work: Work, kind: JobKind): Promise<"lease-gone" | Ran> {
    try {
      return { end: { state: "done", result: await kind.run(work) }, afterMs: 0, attempts: 0 };
    } catch (error) {
      if (error instanceof Stopped && error.why === "lease-gone") return "lease-gone";
      const { attempts } = work.job;
      if (isDatabaseGone(error) && kind.isRepeatable && attempts < ATTEMPTS_MOST)
        return { end: null, afterMs: 0, attempts };
      const end = endAfter(error, kind);
      if (end && "failure" in end) log.error({ err: error, job: work.job.id, kind: work.job.kind }, "a job broke off");
      return { end, afterMs: error instanceof Again ? error.afterMs : 0, attempts: 0 };
    }
  }

  private async finish(work: Work, kind: JobKind, { end, afterMs, attempts }: Ran): Promise<void> {
    await act(this.own, null, async (acting) => {
      const set =
        end === null
          ? {
              ...{ state: "queued" as const, token: null, leaseUntil: null, attempts },
              dueAt: sql`${DATABASE_NOW} + INTERVAL ${Math.round(afterMs) * 1000} MICROSECOND`,
            }
          : columnsOf(kind.ended && end.state === "done" ? { ...end, result: null } : end);
      const ended = await acting.db
        .update(jobs)
        .set({ ...set, progress: work.progress })
        .where(isOurs(work));
      if (affectedRows(ended) === 1 && end !== null) await kind.ended?.(acting, work.job, end);
      return ok(null);
    });
  }

  /** Says of all that runs here that it is alive and how far it is, and hears what is asked of it. */
  async beat(): Promise<void> {
    const all = [...this.running.values()].map(({ work }) => work);
    if (all.length === 0) return;
    // Where the database does not answer, the leases end all the same.
    for (const work of all) if (!work.isHeld) work.lose();
    for (const work of all) {
      const askedAt = performance.now();
      const renewed = await this.db
        .update(jobs)
        .set({
          leaseUntil: sql`${DATABASE_NOW} + INTERVAL ${this.times.leaseMs * 1000} MICROSECOND`,
          progress: work.progress,
        })
        .where(isOurs(work));
      if (affectedRows(renewed) === 1) work.renew(askedAt);
      else work.lose();
    }
    const rows = await this.db
      .select({ id: jobs.id, wish: jobs.wish })
      .from(jobs)
      .where(
        inArray(
          jobs.id,
          all.map(({ job }) => job.id),
        ),
      );
    const wishes = new Map(rows.map(({ id, wish }) => [id, wish]));
    for (const work of all) work.hear(wishes.get(work.job.id) ?? null);
  }
}

/** What running a job came to. */
interface Ran {
  /** Null: it is queued again. */
  end: JobEnd | null;
  /** So much later, in milliseconds, with so many attempts counted against it. */
  afterMs: number;
  attempts: number;
}

/**
 * What becomes of a job whose worker is gone; null: it is queued again. What it had kept as its result was brought
 * about, whatever was asked of the worker since; else that counts.
 */
function endOfLost({ wish, attempts, result }: Job, { isRepeatable }: JobKind): JobEnd | null {
  if (result !== null) return { state: "done", result };
  if (wish !== null) return { state: wish === "cancel" ? "cancelled" : "paused" };
  if (!isRepeatable) return { state: "interrupted" };
  return attempts >= ATTEMPTS_MOST ? { state: "failed", failure: "worker-gone" } : null;
}

/** What an error of a kind comes to; null: it is queued again. */
function endAfter(error: unknown, kind: JobKind): JobEnd | null {
  if (error instanceof Again) return null;
  if (!(error instanceof Stopped)) return { state: "failed", failure: failureOf(error) };
  if (error.why === "cancel") return { state: "cancelled" };
  if (error.why === "pause") return { state: "paused" };
  return kind.isRepeatable ? null : { state: "interrupted" };
}

function columnsOf(end: JobEnd) {
  switch (end.state) {
    case "done":
      return { ...endOf("done"), result: end.result };
    case "failed":
      return { ...endOf("failed"), failure: end.failure };
    case "cancelled":
      return endOf("cancelled");
    default:
      return { state: end.state, token: null, leaseUntil: null, wish: null };
  }
}

/** The time by the database. */
async function databaseNow(db: Database): Promise<Date> {
  const [rows] = (await db.execute(sql`SELECT CAST(${DATABASE_NOW} AS CHAR) AS now`)) as unknown as [{ now: string }[]];
  return new Date(`${rows[0]?.now.replace(" ", "T")}Z`);
}
