import { join } from "node:path";
import { Worker } from "node:worker_threads";
import { wrap } from "comlink";
import nodeEndpoint from "comlink/dist/umd/node-adapter.js";
import type { Program, Solved } from "@/core/cover/solve";

/** Plain code that is run as it lies there: nothing of it is bundled. */
const WORKER = ["src", "workers", "solver.worker.mjs"];
const MEMORY_MB = 900;

/** HiGHS in a thread of its own, so that the server goes on answering. To be closed. */
export class Solver {
  private readonly worker = new Worker(join(/* turbopackIgnore: true */ process.cwd(), ...WORKER), {
    resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB },
  });
  private readonly remote = wrap<(program: Program) => Solved>(nodeEndpoint(this.worker));
  /** Never fulfilled; fails once the thread has ended. */
  private readonly end = new Promise<never>((_, reject) => {
    this.worker.once("error", reject);
    this.worker.once("exit", () => reject(new Error("The solver ended.")));
  });

  constructor() {
    // Nobody may be waiting when it ends.
    this.end.catch(() => {});
  }

  readonly solve = (program: Program): Promise<Solved> => Promise.race([this.remote(program), this.end]);

  async close(): Promise<void> {
    await this.worker.terminate();
  }
}
