import { progressOf } from "@/server/bench/jobs";
import { log } from "@/server/log";
import { currentContext } from "../../../_lib/context";

export const dynamic = "force-dynamic";

const TELL_EVERY_MS = 700;

/** Tells how far jobs are, as server-sent events, for as long as the page listens. */
export async function GET(request: Request): Promise<Response> {
  const context = await currentContext();
  const encoder = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    async start(controller) {
      let since = new Date(Date.now() - 5000);
      while (!request.signal.aborted) {
        try {
          const jobs = await progressOf(context, since);
          since = new Date(Date.now() - 5000);
          controller.enqueue(encoder.encode(`data: ${JSON.stringify(jobs)}\n\n`));
        } catch (error) {
          // Whoever listens connects again; a closed stream is no fault.
          if (!request.signal.aborted) log.warn({ err: error }, "the progress of jobs could not be told");
          break;
        }
        await new Promise((resolve) => setTimeout(resolve, TELL_EVERY_MS));
      }
      try {
        controller.close();
      } catch {
        // It was closed by the one who listened.
      }
    },
  });
  return new Response(body, {
    headers: { "content-type": "text/event-stream", "cache-control": "no-store", "x-accel-buffering": "no" },
  });
}
