import { setTimeout as sleep } from "node:timers/promises";
import { MessageChannel, type MessagePort, Worker } from "node:worker_threads";
import { expose, type Remote, wrap } from "comlink";
import nodeEndpoint from "comlink/dist/umd/node-adapter.js";
import { BenchRunner } from "../bench/runner";
import { ownContext } from "../context";
import type { Database } from "../db/client";
import { setDesk } from "../fleet/asked";
import { FleetDesk } from "../fleet/desk";
import { folderIdentity } from "../host/folders";
import { hasThreads, threadFile } from "../host/threads";
import { readBodiesApart } from "../inspections/apart";
import { Engine } from "../jobs/engine";
import { log } from "../log";
import { KINDS, ROUNDS } from "./kinds";

/** What the thread that does jobs is given: where it asks about the fleet. */
export interface JobsData {
  fleet: MessagePort;
}

export interface FleetQuestions {
  ask(question: string, asked: readonly unknown[], now: Date): Promise<unknown>;
}

export interface JobsThread {
  /** Hands work back; done once nothing of it is written any more. */
  stop(): Promise<void>;
}

/** A thread that ended by a fault is begun again so much later: what it did is taken up by its leases. */
const AGAIN_AFTER_MS = 2_000;

/** A server that ends waits so long for its jobs to be handed back. */
const HANDS_BACK_MS = 4_000;

/** Jobs in a thread of their own, begun again where it ends by a fault. */
class Jobs {
  private worker: Worker | null = null;
  private remote: Remote<JobsThread> | null = null;
  private isStopping = false;
  private ended: Promise<unknown> = Promise.resolve();

  constructor(private readonly questions: FleetQuestions) {}

  start(): void {
    const { port1, port2 } = new MessageChannel();
    expose(this.questions, nodeEndpoint(port1));
    const workerData: JobsData = { fleet: port2 };
    const worker = new Worker(threadFile("jobs"), { workerData, transferList: [port2] });
    this.worker = worker;
    this.remote = wrap<JobsThread>(nodeEndpoint(worker));
    worker.on("error", (error) => log.error({ err: error }, "the thread that does jobs failed"));
    this.ended = new Promise((resolve) => worker.once("exit", resolve));
    worker.once("exit", () => {
      port1.close();
      if (!this.isStopping) void sleep(AGAIN_AFTER_MS).then(() => this.start());
    });
  }

  async stop(): Promise<void> {
    this.isStopping = true;
    // What cannot be handed back in time is taken up by its lease.
    await Promise.race([this.remote?.stop(), this.ended, sleep(HANDS_BACK_MS, null, { ref: false })]);
    await this.worker?.terminate();
  }
}

/**
 * Begins all that a server does beside answering requests: it keeps the fleet, and takes up work, also what a stopped
 * server left in the middle. Gives how it is ended.
 */
export function startThreads(db: Database): { stop: () => Promise<void> } {
  if (!hasThreads()) return startHere(db);
  readBodiesApart(threadFile("bodies"));
  const desk = new FleetDesk(db);
  setDesk(desk);
  desk.start();
  const jobs = new Jobs({
    ask: (question, asked, now) =>
      desk.askNow(
        ownContext(db, () => now),
        question,
        asked,
      ),
  });
  jobs.start();
  return {
    stop: async () => {
      await jobs.stop();
      await desk.stop();
    },
  };
}

/** While Creel is developed there is one thread. */
function startHere(db: Database): { stop: () => Promise<void> } {
  const engine = new Engine(db, KINDS, { rounds: ROUNDS, host: folderIdentity() });
  const runner = new BenchRunner(db);
  engine.start();
  runner.start();
  return {
    stop: async () => {
      await Promise.all([runner.stop(), engine.stop()]);
    },
  };
}
