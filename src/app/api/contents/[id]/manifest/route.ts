import { bodyOf, problemResponse, route, rowId } from "@/app/_lib/guard";
import { CONTENTS_BYTES_MAX, readManifest, storeManifest } from "@/server/inspections/contents";

/** The manifest as it was kept, for the page that compares with it and for `creel verify`. */
export const GET = route<{ id: string }>("readManifest", "reader", async ({ context, params }) => {
  const manifest = await readManifest(context, rowId(params.id));
  return manifest
    ? Response.json(manifest)
    : Response.json({ problem: "No manifest was made of this release yet." }, { status: 404 });
});

export const PUT = route<{ id: string }>("keepManifest", "technician", async ({ request, context, params }) => {
  const body = await bodyOf(request, CONTENTS_BYTES_MAX);
  if (!body.ok) return problemResponse(body.problem);
  const result = await storeManifest(context, rowId(params.id), body.value);
  return result.ok ? Response.json({ id: result.value }) : problemResponse(result.problem);
});
