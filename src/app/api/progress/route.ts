import { createResponse } from "better-sse";
import { jobTeller } from "@/server/work/teller";
import { route } from "../../_lib/guard";

export const dynamic = "force-dynamic";

/** Tells how far all work is, as server-sent events, for as long as the page listens and the server runs. */
export const GET = route("readProgress", "reader", ({ request, context }) => {
  const teller = jobTeller(context);
  const until = new Request(request.url, {
    headers: request.headers,
    signal: AbortSignal.any([request.signal, teller.signal]),
  });
  return createResponse(until, { headers: { "x-accel-buffering": "no" } }, (session) => {
    const leave = teller.listen((progress) => {
      if (session.isConnected) session.push(progress);
    });
    session.once("disconnected", leave);
  });
});
