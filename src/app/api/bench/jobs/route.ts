import { createResponse } from "better-sse";
import { progressOf } from "@/server/bench/jobs";
import { log } from "@/server/log";
import { currentContext } from "../../../_lib/context";

export const dynamic = "force-dynamic";

const TELL_EVERY_MS = 700;
/** What ended so lately is told once more, since whoever listens may have missed it. */
const BACK_MS = 5000;

/** Tells how far jobs are, as server-sent events, for as long as the page listens. */
export async function GET(request: Request): Promise<Response> {
  const context = await currentContext();
  return createResponse(request, { headers: { "x-accel-buffering": "no" } }, async (session) => {
    let since = new Date(Date.now() - BACK_MS);
    while (session.isConnected) {
      try {
        const jobs = await progressOf(context, since);
        since = new Date(Date.now() - BACK_MS);
        session.push(jobs);
      } catch (error) {
        // Whoever listens connects again; a closed stream is no fault.
        if (session.isConnected) log.warn({ err: error }, "the progress of jobs could not be told");
        break;
      }
      await new Promise((resolve) => setTimeout(resolve, TELL_EVERY_MS));
    }
  });
}
