import { problemText } from "@/core/words/problems";
import { CONTENTS_BYTES_MAX, readManifest, storeManifest } from "@/server/inspections/contents";
import { currentContext } from "../../../../_lib/context";

interface Props {
  params: Promise<{ id: string }>;
}

/** The manifest as it was kept, for the page that compares with it and for `creel verify`. */
export async function GET(_request: Request, { params }: Props): Promise<Response> {
  const manifest = await readManifest(await currentContext(), Number((await params).id) || 0);
  return manifest
    ? Response.json(manifest)
    : Response.json({ problem: "No manifest was made of this release yet." }, { status: 404 });
}

export async function PUT(request: Request, { params }: Props): Promise<Response> {
  if (Number(request.headers.get("content-length") ?? 0) > CONTENTS_BYTES_MAX)
    return Response.json({ problem: "The manifest is too large to be kept." }, { status: 413 });
  const body = new Uint8Array(await request.arrayBuffer());
  const result = await storeManifest(await currentContext(), Number((await params).id) || 0, body);
  return result.ok
    ? Response.json({ id: result.value })
    : Response.json({ problem: problemText(result.problem) }, { status: 400 });
}
