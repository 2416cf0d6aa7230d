import { CONTENTS_BYTES_MAX, storeContents } from "@/server/inspections/contents";
import { bodyOf, problemResponse, route } from "../../_lib/guard";

/** Keeps what a browser read from a file: gzip-compressed JSON as the body. Gives the id of what was kept. */
export const POST = route("keepContents", "technician", async ({ request, context }) => {
  const body = await bodyOf(request, CONTENTS_BYTES_MAX);
  if (!body.ok) return problemResponse(body.problem);
  const result = await storeContents(context, body.value);
  return result.ok ? Response.json({ id: result.value }) : problemResponse(result.problem);
});
