import { setTimeout as sleep } from "node:timers/promises";
import { Worker } from "node:worker_threads";
import { type Remote, wrap } from "comlink";
import nodeEndpoint from "comlink/dist/umd/node-adapter.js";
import { LRUCache } from "lru-cache";
import { dayOf } from "@/core/kernel/days";
import type { Context } from "../context";
import type { Database } from "../db/client";
import { revisionOf } from "../db/revision";
import { threadFile } from "../host/threads";
import { log } from "../log";
import type { Desk, FleetStanding } from "./asked";
import { keptAnswer } from "./kept-answers";

export interface Question {
  question: string;
  asked: readonly unknown[];
  /** The moment for which it is asked. */
  now: Date;
  /** What the database stands at: the answer is to be of this revision, or says that it is not. */
  revision: number;
  /** False: it is large and asked once, so that nobody keeps it. */
  isRemembered: boolean;
}

export interface Answered {
  value: unknown;
  /** What the fleet stood at, and the ISO day for which it was judged. */
  revision: number;
  day: string;
}

/** What a thread that holds the fleet does. */
export interface FleetThread {
  /** Reads and judges the whole fleet for a moment; gives the revision that it was read at. */
  prepare(now: Date): Promise<number>;
  answer(question: Question): Promise<Answered>;
}

const MEMORY_MB = 3_000;
/** Answers that are remembered; what is asked with more than so many characters is not asked again. */
const REMEMBERED = 400;
const KEY_MOST = 2_000;
/** A fleet that changes all the time is asked so often for an answer that is of now. */
const ATTEMPTS = 20;

/** The thread's program, the database that it asks, and what is quick: see `FleetData`. */
export interface FleetProgram {
  file: string;
  /** Left out: the one of this process. */
  databaseUrl?: string;
  quickMs: number;
  /** While the fleet is read for the first time, whoever asks waits so long before an older answer is given. */
  waitsMs: number;
}

export interface FleetData {
  /** A fleet that took longer than this to judge is judged by the next thread, while this one goes on answering. */
  quickMs: number;
}

const QUICK_MS = 1_500;
const WAITS_MS = 2_000;

/** A thread with the fleet in its memory. */
class Hand {
  private readonly worker: Worker;
  private readonly remote: Remote<FleetThread>;
  private waiting = 0;
  private isLeaving = false;
  isReady = false;
  hasEnded = false;
  /** Never fulfilled; fails once the thread has ended. */
  private readonly end: Promise<never>;
  readonly prepared: Promise<void>;

  constructor({ file, databaseUrl, quickMs }: FleetProgram, now: Date) {
    this.worker = new Worker(file, {
      env: databaseUrl === undefined ? process.env : { ...process.env, DATABASE_URL: databaseUrl },
      workerData: { quickMs } satisfies FleetData,
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB },
    });
    this.remote = wrap<FleetThread>(nodeEndpoint(this.worker));
    this.end = new Promise<never>((_, reject) => {
      this.worker.once("error", reject);
      this.worker.once("exit", () => reject(new Error("The thread that holds the fleet ended.")));
    });
    this.end.catch(() => {
      this.hasEnded = true;
    });
    // A process that has nothing else to do may end.
    this.worker.unref();
    this.prepared = this.here(this.remote.prepare(now)).then(() => {
      this.isReady = true;
    });
    // Without its database it is of no use: whoever asks next begins another one.
    this.prepared.catch(() => {
      this.hasEnded = true;
      void this.stop();
    });
  }

  private here<T>(promise: Promise<T>): Promise<T> {
    return Promise.race([promise, this.end]);
  }

  async answer(question: Question): Promise<Answered> {
    this.waiting++;
    try {
      return await this.here(this.remote.answer(question));
    } finally {
      this.waiting--;
      if (this.isLeaving && this.waiting === 0) await this.stop();
    }
  }

  /** Ends once nobody waits for an answer of it. */
  leave(): void {
    this.isLeaving = true;
    if (this.waiting === 0) void this.stop();
  }

  async stop(): Promise<void> {
    await this.worker.terminate();
  }
}

interface Remembered {
  day: string;
  revision: number;
  value: Promise<unknown>;
}

/**
 * Has questions about the fleet answered in another thread, each once for a revision of the database. Where all of a
 * large fleet is to be judged anew, the thread that holds it goes on answering until the next one is ready.
 */
export class FleetDesk implements Desk {
  private hand: Hand | null = null;
  private next: Hand | null = null;
  /** When (by `performance.now`) an answer from before the latest changes was last given. */
  private olderAt: number | null = null;
  private readonly remembered = new LRUCache<string, Remembered>({ max: REMEMBERED });

  constructor(
    private readonly db: Database,
    private readonly program: FleetProgram = {
      ...{ file: threadFile("fleet"), quickMs: QUICK_MS, waitsMs: WAITS_MS },
    },
  ) {}

  /** Begins to read the fleet. */
  start(): void {
    this.holding(new Date());
  }

  async stop(): Promise<void> {
    await Promise.all([this.hand?.stop(), this.next?.stop()]);
  }

  standing(): FleetStanding {
    return {
      isBehind: this.next !== null || (this.olderAt !== null && this.hand?.isReady === false),
      olderAgoMs: this.olderAt === null ? null : performance.now() - this.olderAt,
    };
  }

  async ask(context: Context, question: string, asked: readonly unknown[], isRemembered = true): Promise<unknown> {
    const now = context.now();
    const day = dayOf(now);
    // Not by the connection of an act: what is not kept yet is nobody's but the act's.
    const revision = await revisionOf(this.db);
    const key = JSON.stringify([question, asked]);
    const known = this.remembered.get(key);
    if (known && known.day === day && known.revision >= revision) return known.value;
    const answered = this.answered({ question, asked, now, revision, isRemembered }, day);
    const remembered = { day, revision, value: answered.then(({ value }) => value) };
    if (isRemembered && key.length <= KEY_MOST) this.remembered.set(key, remembered);
    const forget = () => {
      if (this.remembered.get(key) === remembered) this.remembered.delete(key);
    };
    answered.then((answer) => {
      remembered.revision = answer.revision;
      if (answer.revision < revision || answer.day !== day) forget();
    }, forget);
    return remembered.value;
  }

  /** As `ask`, and never from before the latest changes: waits until they are worked in. For what is kept or sent. */
  async askNow(context: Context, question: string, asked: readonly unknown[]): Promise<unknown> {
    for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
      const before = this.olderAt;
      const value = await this.ask(context, question, asked);
      if (this.olderAt === before) return value;
      await (this.next ?? this.hand)?.prepared.catch(() => {});
    }
    throw new Error(`The fleet changed faster than "${question}" could be answered.`);
  }

  private async answered(question: Question, day: string): Promise<Answered> {
    const hand = this.holding(question.now);
    if (!hand.isReady) {
      const kept = await keptAnswer(this.db, { ...question, day });
      if (kept?.revision === question.revision) return { ...kept, day };
      const late = Symbol("late");
      if (kept && (await Promise.race([hand.prepared, sleep(this.program.waitsMs, late, { ref: false })])) === late) {
        this.olderAt = performance.now();
        return { ...kept, day };
      }
      await hand.prepared;
    }
    const answered = await hand.answer(question);
    if (answered.revision >= question.revision && answered.day === day)
      return { ...answered, revision: question.revision };
    this.olderAt = performance.now();
    this.succeed(question.now);
    return answered;
  }

  /** The thread that answers; a new one where there is none, or where it ended by a fault. */
  private holding(now: Date): Hand {
    if (!this.hand || this.hand.hasEnded) this.hand = new Hand(this.program, now);
    return this.hand;
  }

  /** Has the fleet judged anew by another thread, which takes over once it is ready. */
  private succeed(now: Date): void {
    if (this.next) return;
    const next = new Hand(this.program, now);
    this.next = next;
    next.prepared.then(
      () => {
        this.hand?.leave();
        this.hand = next;
        this.next = null;
      },
      (error: unknown) => {
        log.error({ err: error }, "the fleet could not be judged again");
        this.next = null;
      },
    );
  }
}
