import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { Program, Solved } from "@/core/cover/solve";

/** Plain code that is run as it lies there: nothing of it is bundled. */
const WORKER = ["src", "workers", "solver.worker.mjs"];
const MEMORY_MB = 900;

/** HiGHS in a thread of its own, so that the server goes on answering. To be closed. */
export class Solver {
  private readonly worker = new Worker(join(/* turbopackIgnore: true */ process.cwd(), ...WORKER), {
    resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB },
  });
  private readonly waiting = new Map<number, { resolve: (solved: Solved) => void; reject: (why: Error) => void }>();
  private asked = 0;

  constructor() {
    this.worker.on("message", ({ id, answer, problem }: { id: number; answer?: Solved; problem?: string }) => {
      const waiting = this.waiting.get(id);
      this.waiting.delete(id);
      if (answer) waiting?.resolve(answer);
      else waiting?.reject(new Error(problem ?? "no answer"));
    });
    this.worker.on("error", (error) => this.fail(error instanceof Error ? error : new Error(String(error))));
    this.worker.on("exit", () => this.fail(new Error("The solver ended.")));
  }

  private fail(why: Error): void {
    for (const { reject } of this.waiting.values()) reject(why);
    this.waiting.clear();
  }

  readonly solve = (program: Program): Promise<Solved> =>
    new Promise((resolve, reject) => {
      const id = ++this.asked;
      this.waiting.set(id, { resolve, reject });
      this.worker.postMessage({ id, asked: program });
    });

  async close(): Promise<void> {
    await this.worker.terminate();
  }
}
