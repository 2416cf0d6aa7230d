import { currentContext } from "@/app/_lib/context";
import { problemText } from "@/core/words/problems";
import { marksOf, takeMarks } from "@/server/callouts/callout-marks";

interface Props {
  params: Promise<{ id: string }>;
}

/** Marks that were made on a call-out, those of others too. */
export async function GET(_request: Request, { params }: Props): Promise<Response> {
  return Response.json(await marksOf(await currentContext(), Number((await params).id) || 0));
}

/** Takes marks in, however often they are sent; answers with all that are known then. */
export async function POST(request: Request, { params }: Props): Promise<Response> {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const body = await request.json().catch(() => null);
  const result = await takeMarks(context, Number(id) || 0, body);
  if (!result.ok) return Response.json({ problem: problemText(result.problem) }, { status: 400 });
  return Response.json(await marksOf(context, Number(id) || 0));
}
