import { type Context, ownContext } from "../context";
import { log } from "../log";
import { type JobProgress, progressOf } from "./jobs";

const TELL_EVERY_MS = 700;
/** What ended so lately is told once more, since whoever listens may have missed it. */
const BACK_MS = 5000;

/** Tells how far jobs are to everybody who listens: one question for all of them, and none while nobody does. */
export class JobTeller {
  private readonly listeners = new Set<(jobs: JobProgress[]) => void>();
  private readonly end = new AbortController();
  private timer: ReturnType<typeof setTimeout> | null = null;
  private latest: JobProgress[] | null = null;

  constructor(
    private readonly context: Context,
    private readonly everyMs = TELL_EVERY_MS,
  ) {}

  /** Triggered where the server ends: streams are closed by it. */
  get signal(): AbortSignal {
    return this.end.signal;
  }

  /** Tells at once what was last known, and then each time. Gives how to leave. */
  listen(tell: (jobs: JobProgress[]) => void): () => void {
    this.listeners.add(tell);
    if (this.latest) tell(this.latest);
    if (this.timer === null) this.next(0);
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
    this.timer = setTimeout(() => void this.ask(), ms);
  }

  private async ask(): Promise<void> {
    try {
      this.latest = await progressOf(this.context, new Date(Date.now() - BACK_MS));
      for (const tell of this.listeners) tell(this.latest);
    } catch (error) {
      log.warn({ err: error }, "the progress of jobs could not be told");
    }
    if (this.listeners.size > 0 && !this.end.signal.aborted) return this.next(this.everyMs);
    this.timer = null;
    this.latest = null;
  }
}

// The bundles of pages and of the server's start are two; there is one of it.
const kept = globalThis as typeof globalThis & { creelJobTeller?: JobTeller };

/** The one of this process. */
export function jobTeller({ db, now }: Pick<Context, "db" | "now">): JobTeller {
  kept.creelJobTeller ??= new JobTeller(ownContext(db, now));
  return kept.creelJobTeller;
}
