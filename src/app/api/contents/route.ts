import { problemText } from "@/core/words/problems";
import { CONTENTS_BYTES_MAX, storeContents } from "@/server/inspections/contents";
import { currentContext } from "../../_lib/context";

/** Keeps what a browser read from a file: gzip-compressed JSON as the body. Gives the id of what was kept. */
export async function POST(request: Request): Promise<Response> {
  if (Number(request.headers.get("content-length") ?? 0) > CONTENTS_BYTES_MAX)
    return Response.json({ problem: "What was read is too large to be kept." }, { status: 413 });
  const result = await storeContents(await currentContext(), new Uint8Array(await request.arrayBuffer()));
  return result.ok
    ? Response.json({ id: result.value })
    : Response.json({ problem: problemText(result.problem) }, { status: 400 });
}
