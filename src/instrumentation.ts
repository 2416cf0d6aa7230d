import type { Instrumentation } from "next";

/** Once, when the server starts: what a stopped server left in the middle is told as such, and work is taken up. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs" || !process.env.DATABASE_URL) return;
  const [{ database }, { markInterruptedImports }, { Engine }, { KINDS, ROUNDS }, { BenchRunner }, { log }] =
    await Promise.all([
      import("@/server/db/client"),
      import("@/server/exchange/imports"),
      import("@/server/jobs/engine"),
      import("@/server/work/kinds"),
      import("@/server/bench/runner"),
      import("@/server/log"),
    ]);
  try {
    await markInterruptedImports(database(), new Date());
  } catch (error) {
    log.error({ err: error }, "interrupted work could not be marked");
  }
  const engine = new Engine(database(), KINDS, { rounds: ROUNDS });
  engine.start();
  const runner = new BenchRunner(database());
  runner.start();
  // A server that is asked to end hands its work back, and leaves what it cannot hand back as such.
  for (const signal of ["SIGTERM", "SIGINT"] as const)
    process.once(signal, () => void Promise.all([runner.stop(), engine.stop()]));
}

/** What went wrong while a page or an action was made: one structured line; the page shows a sentence. */
export const onRequestError: Instrumentation.onRequestError = async (error, request, context) => {
  if (process.env.NEXT_RUNTIME !== "nodejs") return;
  const { log } = await import("@/server/log");
  log.error(
    {
      err: error,
      method: request.method,
      path: request.path.split("?")[0],
      route: context.routePath,
      kind: context.routeType,
    },
    "request failed",
  );
};
