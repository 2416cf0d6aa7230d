import { cancelImport, importProgress } from "@/server/exchange/imports";
import { problemResponse, route, rowId } from "../../../_lib/guard";

/** How far an import is. */
export const GET = route<{ id: string }>("readImport", "reader", async ({ context, params }) => {
  const progress = await importProgress(context, rowId(params.id));
  return progress ? Response.json(progress) : Response.json({ problem: "There is no such import." }, { status: 404 });
});

/** Stops the work on it: what it did is taken back. Not an action, since a page's actions wait for each other. */
export const DELETE = route<{ id: string }>("cancelImport", "lead", async ({ context, params }) => {
  const result = await cancelImport(context, rowId(params.id));
  return result.ok ? Response.json({ cancelled: result.value }) : problemResponse(result.problem);
});
