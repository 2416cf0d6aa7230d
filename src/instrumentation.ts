import type { Instrumentation } from "next";

/** Once, when the server starts: work is taken up, also what a stopped server left in the middle. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs" || !process.env.DATABASE_URL) return;
  const [{ database }, { startThreads }, { jobTeller }] = await Promise.all([
    import("@/server/db/client"),
    import("@/server/work/threads"),
    import("@/server/work/teller"),
  ]);
  const threads = startThreads(database());
  // A server that is asked to end hands its work back, leaves what it cannot hand back as such, and closes its streams.
  for (const signal of ["SIGTERM", "SIGINT"] as const)
    process.once(signal, () => {
      jobTeller({ db: database(), now: () => new Date() }).stop();
      void threads.stop();
    });
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
