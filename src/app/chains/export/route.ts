import { dayOf } from "@/core/kernel/days";
import { exportMatrix } from "@/server/fleet/export-matrix";
import { route, streamed } from "../../_lib/guard";
import { chainsState } from "../state";

/** The matrix of an address as CSV: a row for each computer, a column for each medium. */
export const GET = route(
  "exportChains",
  "reader",
  async ({ request, context }) => {
    const { text, site, release } = await chainsState(
      Promise.resolve(Object.fromEntries(new URL(request.url).searchParams)),
    );
    const filter = {
      ...(text ? { computers: text } : {}),
      ...(site ? { site } : {}),
      ...(release ? { media: release } : {}),
    };
    const lines = exportMatrix(context, filter);
    return streamed(lines, "text/csv; charset=utf-8", `chains-${dayOf(context.now())}.csv`);
  },
  { isWritten: true },
);
