import { TABLE_BYTES_MAX } from "@/core/computer/exchange/table";
import { problemText } from "@/core/words/problems";
import { stageImport } from "@/server/exchange/imports";
import { currentContext } from "../../_lib/context";

/** Takes a table in, to be looked at before it is imported. The file is the body; its name is a header. */
export async function POST(request: Request): Promise<Response> {
  const name = decodeURIComponent(request.headers.get("x-file-name") ?? "table.csv");
  if (Number(request.headers.get("content-length") ?? 0) > TABLE_BYTES_MAX)
    return Response.json({ problem: "The file is larger than 256 MiB. Split it into several." }, { status: 413 });
  const bytes = new Uint8Array(await request.arrayBuffer());
  const result = await stageImport(await currentContext(), name, bytes);
  return result.ok
    ? Response.json({ id: result.value })
    : Response.json({ problem: problemText(result.problem) }, { status: 400 });
}
