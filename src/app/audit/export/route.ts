import Papa from "papaparse";
import { dayOf } from "@/core/kernel/days";
import { eachAudit } from "@/server/accounts/audit";
import { route, streamed } from "../../_lib/guard";
import { auditState } from "../state";

/** The audit, or what a filter leaves of it, as CSV (RFC 4180). */
export const GET = route(
  "exportAudit",
  "administrator",
  async ({ request, context }) => {
    const query = Object.fromEntries(new URL(request.url).searchParams);
    const { filter } = await auditState(Promise.resolve(query));
    async function* lines() {
      yield "at,person,from,asked,result\r\n";
      for await (const rows of eachAudit(context, filter)) {
        const cells = rows.map(({ at, personName, origin, act, outcome }) => [
          ...[at.toISOString(), personName ?? "", origin ?? "", act, outcome],
        ]);
        yield `${Papa.unparse(cells, { escapeFormulae: true })}\r\n`;
      }
    }
    return streamed(lines(), "text/csv; charset=utf-8", `audit-${dayOf(context.now())}.csv`);
  },
  { isWritten: true },
);
