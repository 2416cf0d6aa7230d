import { cancelImport, importProgress } from "@/server/exchange/imports";
import { currentContext } from "../../../_lib/context";

interface Props {
  params: Promise<{ id: string }>;
}

/** How far an import is. */
export async function GET(_request: Request, { params }: Props): Promise<Response> {
  const progress = await importProgress(await currentContext(), Number((await params).id));
  return progress ? Response.json(progress) : Response.json({ problem: "There is no such import." }, { status: 404 });
}

/** Stops the work on it: what it did is taken back. Not an action, since a page's actions wait for each other. */
export async function DELETE(_request: Request, { params }: Props): Promise<Response> {
  const result = await cancelImport(await currentContext(), Number((await params).id));
  return Response.json({ cancelled: result.ok && result.value });
}
