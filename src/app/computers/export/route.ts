import { dayOf } from "@/core/kernel/days";
import { EXPORT_FORMS, exportComputers } from "@/server/exchange/exports";
import { route, streamed } from "../../_lib/guard";
import { computersState } from "../state";

const TYPES = { csv: "text/csv; charset=utf-8", jsonl: "application/x-ndjson; charset=utf-8" };

/** The computers of a list's address, or all of them, as a file. */
export const GET = route(
  "exportComputers",
  "reader",
  async ({ request, context }) => {
    const query = new URL(request.url).searchParams;
    const form = EXPORT_FORMS.find((each) => each === query.get("form")) ?? "csv";
    const { filter } = await computersState(Promise.resolve(Object.fromEntries(query)));
    const parts = exportComputers(context, form, query.get("all") === "1" ? "all" : filter);
    return streamed(parts, TYPES[form], `computers-${dayOf(context.now())}.${form}`);
  },
  { isWritten: true },
);
