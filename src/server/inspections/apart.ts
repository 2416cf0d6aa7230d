import { setTimeout as sleep } from "node:timers/promises";
import { Worker } from "node:worker_threads";
import { Semaphore } from "async-mutex";
import { wrap } from "comlink";
import nodeEndpoint from "comlink/dist/umd/node-adapter.js";
import { log } from "../log";
import { type Result, refused } from "../problems";
import { READERS, type Readers } from "./bodies";

const LONGEST_MS = 10_000;
const MEMORY_MB = 512;
/** Bodies that are read at once; the others wait. */
const AT_ONCE = new Semaphore(2);

// The server's parts are bundled apart from each other, and all of them read by one program.
const readers = globalThis as typeof globalThis & { creelBodies?: string };

/** From now on bodies are read by a thread of this program. */
export function readBodiesApart(file: string): void {
  readers.creelBodies = file;
}

// The program is no module of the application: the build must not look for it.
const begin = ({ file }: { file: string }) =>
  new Worker(/* turbopackIgnore: true */ file, { resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB } });

type Value<Kind extends keyof Readers> = Awaited<ReturnType<Readers[Kind]>> extends Result<infer T> ? T : never;

/**
 * Reads what somebody sent in a thread of its own, which has so much memory and so much time: whatever it is, nobody else
 * waits for it. Where no server runs it is read here. Problems: `body-unreadable`.
 */
export function readApart<Kind extends keyof Readers>(
  kind: Kind,
  body: Uint8Array,
  { file = readers.creelBodies ?? null, longestMs = LONGEST_MS } = {},
): Promise<Result<Value<Kind>>> {
  if (file === null) return READERS[kind](body) as Promise<Result<Value<Kind>>>;
  return AT_ONCE.runExclusive(async () => {
    const worker = begin({ file });
    const ended = new Promise<never>((_, reject) => {
      worker.once("error", reject);
      worker.once("exit", () => reject(new Error("The thread ended.")));
    });
    ended.catch(() => undefined);
    const over = new AbortController();
    const late = sleep(longestMs, null, { signal: over.signal }).then(() => {
      throw new Error("It took too long.");
    });
    late.catch(() => undefined);
    try {
      const remote = wrap<Readers>(nodeEndpoint(worker));
      const reading = remote[kind](body) as Promise<Result<Value<Kind>>>;
      return await Promise.race([reading, ended, late]);
    } catch (error) {
      log.warn({ kind, bytes: body.length, why: error instanceof Error ? error.message : "" }, "a body was not read");
      return refused({ code: "body-unreadable" });
    } finally {
      over.abort();
      await worker.terminate();
    }
  });
}
