import { route, rowId } from "@/app/_lib/guard";
import { photoOf } from "@/server/callouts/callout-marks";

export const GET = route<{ id: string; mark: string }>("readPhoto", "reader", async ({ context, params }) => {
  const photo = await photoOf(context, rowId(params.id), params.mark);
  if (!photo) return new Response("There is no such picture.", { status: 404 });
  return new Response(photo.bytes as Uint8Array<ArrayBuffer>, {
    headers: { "content-type": photo.type, "cache-control": "private, max-age=31536000, immutable" },
  });
});
