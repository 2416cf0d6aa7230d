import { dayOf } from "@/core/kernel/days";
import { EXPORT_FORMS, exportComputers } from "@/server/exchange/exports";
import { currentContext } from "../../_lib/context";
import { computersState } from "../state";

const TYPES = { csv: "text/csv; charset=utf-8", jsonl: "application/x-ndjson; charset=utf-8" };

/** The computers of a list's address, or all of them, as a file. */
export async function GET(request: Request): Promise<Response> {
  const query = new URL(request.url).searchParams;
  const form = EXPORT_FORMS.find((each) => each === query.get("form")) ?? "csv";
  const { filter } = await computersState(Promise.resolve(Object.fromEntries(query)));
  const context = await currentContext();
  const parts = exportComputers(context, form, query.get("all") === "1" ? "all" : filter);
  const encoder = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { value, done } = await parts.next();
      if (done) controller.close();
      else controller.enqueue(encoder.encode(value));
    },
    async cancel() {
      await parts.return(undefined);
    },
  });
  const day = dayOf(context.now());
  return new Response(body, {
    headers: {
      "content-type": TYPES[form],
      "content-disposition": `attachment; filename="computers-${day}.${form}"`,
      "cache-control": "no-store",
    },
  });
}
