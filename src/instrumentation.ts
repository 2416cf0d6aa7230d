import type { Instrumentation } from "next";

/** Once, when the server starts: work is taken up, also what a stopped server left in the middle. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs" || !process.env.DATABASE_URL) return;
  const { environmentFaults } = await import("@/server/host/environment");
  const faults = environmentFaults(process.env);
  if (faults.length > 0) {
    for (const fault of faults) process.stderr.write(`creel: ${fault}\n`);
    process.exit(1);
  }
  const { LOOPBACK, sayPeers } = await import("@/server/host/peers");
  sayPeers(process.env.CREEL_PROXIES || LOOPBACK);
  const [{ database }, { startThreads }, { jobTeller }] = await Promise.all([
    import("@/server/db/client"),
    import("@/server/work/threads"),
    import("@/server/work/teller"),
  ]);
  const threads = startThreads(database());
  // A server that is asked to end closes its streams and hands its work back; what it cannot hand back in time is taken
  // up by whoever finds it. Next leaves it to us where NEXT_MANUAL_SIG_HANDLE is set, and ends at once where it is not.
  const end = async () => {
    jobTeller({ db: database(), now: () => new Date() }).stop();
    await threads.stop().catch(() => {});
    if (process.env.NEXT_MANUAL_SIG_HANDLE) process.exit(0);
  };
  for (const signal of ["SIGTERM", "SIGINT"] as const) process.once(signal, () => void end());
}

/** What went wrong while a page or an action was made: one structured line; the page shows a sentence. */
export const onRequestError: Instrumentation.onRequestError = async (error, request, context) => {
  if (process.env.NEXT_RUNTIME !== "nodejs") return;
  const { log } = await import("@/server/log");
  log.error(
    {
      err: error,
      method: request.method,
      // The address of a calendar is a secret.
      path: request.path.split("?")[0]?.replace(/(?<=^\/api\/calendar\/).*/, "…"),
      route: context.routePath,
      kind: context.routeType,
    },
    "request failed",
  );
};
