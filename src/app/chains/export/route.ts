import { dayOf } from "@/core/kernel/days";
import { exportMatrix } from "@/server/fleet/export-matrix";
import { currentContext } from "../../_lib/context";
import { chainsState } from "../state";

/** The matrix of an address as CSV: a row for each computer, a column for each medium. */
export async function GET(request: Request): Promise<Response> {
  const { text, site, release } = await chainsState(
    Promise.resolve(Object.fromEntries(new URL(request.url).searchParams)),
  );
  const context = await currentContext();
  const filter = {
    ...(text ? { computers: text } : {}),
    ...(site ? { site } : {}),
    ...(release ? { media: release } : {}),
  };
  const lines = exportMatrix(context, filter);
  const encoder = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { value, done } = await lines.next();
      if (done) controller.close();
      else controller.enqueue(encoder.encode(value));
    },
    async cancel() {
      await lines.return(undefined);
    },
  });
  const day = dayOf(context.now());
  return new Response(body, {
    headers: {
      "content-type": "text/csv; charset=utf-8",
      "content-disposition": `attachment; filename="chains-${day}.csv"`,
      "cache-control": "no-store",
    },
  });
}
