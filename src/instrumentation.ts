import type { Instrumentation } from "next";

/** Once, when the server starts: what a stopped server left in the middle is told as such, and the bench begins to work. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs" || !process.env.DATABASE_URL) return;
  const [{ database }, { markInterruptedImports }, { markInterruptedScans }, { markInterruptedPlans }, { log }] =
    await Promise.all([
      import("@/server/db/client"),
      import("@/server/exchange/imports"),
      import("@/server/images/store-scans"),
      import("@/server/cover/plans"),
      import("@/server/log"),
    ]);
  try {
    await markInterruptedImports(database(), new Date());
    await markInterruptedScans(database(), new Date());
    await markInterruptedPlans(database(), new Date());
  } catch (error) {
    log.error({ err: error }, "interrupted work could not be marked");
  }
  const { startDigests } = await import("@/server/upkeep/digests");
  startDigests({ db: database(), person: { id: 0, name: "Creel" }, now: () => new Date() }, (error) =>
    log.error({ err: error }, "the digests could not be written"),
  );
  const { BenchRunner } = await import("@/server/bench/runner");
  const runner = new BenchRunner(database());
  runner.start();
  // A server that is asked to end leaves its jobs where they are, and they say so at once.
  for (const signal of ["SIGTERM", "SIGINT"] as const) process.once(signal, () => void runner.stop());
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
