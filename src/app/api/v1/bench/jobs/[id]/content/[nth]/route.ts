import { problemDetails, rowId, tokenRoute } from "@/app/_lib/guard";
import { openContent } from "@/server/bench/hosts";
import { rangedAnswer } from "@/server/host/ranged";

export const dynamic = "force-dynamic";

/** A file that a bench host makes a medium from, or a range of it. */
export const GET = tokenRoute<{ id: string; nth: string }>(
  "readBenchContent",
  "bench",
  async ({ request, context, bearer, params: { id, nth } }) => {
    const opened = await openContent(context, bearer, rowId(id), /^\d{1,6}$/.test(nth) ? Number(nth) : -1);
    return opened.ok ? rangedAnswer(request.headers, opened.value) : problemDetails(opened.problem);
  },
);
