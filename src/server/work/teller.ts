import { type JobProgress, progressOf } from "../bench/jobs";
import { type Context, ownContext } from "../context";
import { type JobTold, jobsTold } from "../jobs/jobs";
import { log } from "../log";
import { type Marks, marksOf } from "./marks";

const TELL_EVERY_MS = 700;
/** What ended so lately is told once more, since whoever listens may have missed it. */
const BACK_MS = 5000;

/** How far all work is that goes on, and what it came to that has just ended. */
export interface Progress {
  bench: JobProgress[];
  jobs: JobTold[];
  marks: Marks;
}

/** Tells how far jobs are to everybody who listens: one question for all of them, and none while nobody does. */
export class JobTeller {
  /** Each with the question before which it came. */
  private readonly listeners = new Map<(progress: Progress) => void, number>();
  private asked = 0;
  private isAsking = false;
  private readonly end = new AbortController();
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(
    private readonly context: Context,
    private readonly everyMs = TELL_EVERY_MS,
  ) {}

  /** Triggered where the server ends: streams are closed by it. */
  get signal(): AbortSignal {
    return this.end.signal;
  }

  /** Tells at once, and then each time, only what was asked after it came. Gives how to leave. */
  listen(tell: (progress: Progress) => void): () => void {
    this.listeners.set(tell, this.asked);
    // Whoever comes while a question is under way is told by the next one, which follows at once.
    if (!this.isAsking) this.next(0);
    return () => {
      this.listeners.delete(tell);
    };
  }

  stop(): void {
    if (this.timer) clearTimeout(this.timer);
    this.listeners.clear();
    this.end.abort();
  }

  private next(ms: number): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.ask(), ms);
  }

  private async ask(): Promise<void> {
    const question = ++this.asked;
    this.isAsking = true;
    try {
      const [bench, jobs, marks] = await Promise.all([
        progressOf(this.context, new Date(Date.now() - BACK_MS)),
        jobsTold(this.context, BACK_MS),
        marksOf(this.context),
      ]);
      for (const [tell, cameAt] of this.listeners) if (cameAt < question) tell({ bench, jobs, marks });
    } catch (error) {
      log.warn({ err: error }, "the progress of jobs could not be told");
    }
    this.isAsking = false;
    this.timer = null;
    if (this.listeners.size === 0 || this.end.signal.aborted) return;
    const isWaitedFor = [...this.listeners.values()].some((cameAt) => cameAt >= question);
    this.next(isWaitedFor ? 0 : this.everyMs);
  }
}

// The bundles of pages and of the server's start are two; there is one of it.
const kept = globalThis as typeof globalThis & { creelJobTeller?: JobTeller };

/** The one of this process. */
export function jobTeller({ db, now }: Pick<Context, "db" | "now">): JobTeller {
  kept.creelJobTeller ??= new JobTeller(ownContext(db, now));
  return kept.creelJobTeller;
}
