import { z } from "zod";
import { jsonOf, problemResponse, route, rowId } from "@/app/_lib/guard";
import { marksOf, takeMarks } from "@/server/callouts/callout-marks";

/** What a tablet sends at once: some pictures, in Base64. */
const MARKS_BYTES_MAX = 48 << 20;

/** Marks that were made on a call-out, those of others too. */
export const GET = route<{ id: string }>("readMarks", "reader", async ({ context, params }) =>
  Response.json(await marksOf(context, rowId(params.id))),
);

/** Takes marks in, however often they are sent; answers with all that are known then. */
export const POST = route<{ id: string }>("sendMarks", "technician", async ({ request, context, params }) => {
  const body = await jsonOf(request, MARKS_BYTES_MAX, z.unknown());
  if (!body.ok) return problemResponse(body.problem);
  const result = await takeMarks(context, rowId(params.id), body.value);
  if (!result.ok) return problemResponse(result.problem);
  return Response.json(await marksOf(context, rowId(params.id)));
});
