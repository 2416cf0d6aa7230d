import { TABLE_BYTES_MAX } from "@/core/computer/exchange/table";
import { stageImport } from "@/server/exchange/imports";
import { bodyOf, problemResponse, route } from "../../_lib/guard";

const NAME_LENGTH_MAX = 200;

/** A header holds ASCII: the name is written as in an address. One that cannot be read is any table's. */
function nameOf(header: string | null): string {
  try {
    return decodeURIComponent(header ?? "table.csv").slice(0, NAME_LENGTH_MAX);
  } catch {
    return "table.csv";
  }
}

/** Takes a table in, to be looked at before it is imported. The file is the body; its name is a header. */
export const POST = route("stageImport", "lead", async ({ request, context }) => {
  const body = await bodyOf(request, TABLE_BYTES_MAX);
  if (!body.ok) return problemResponse(body.problem);
  const result = await stageImport(context, nameOf(request.headers.get("x-file-name")), body.value);
  return result.ok ? Response.json({ id: result.value }) : problemResponse(result.problem);
});
