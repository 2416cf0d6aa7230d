import type { Instrumentation } from "next";

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
