import { route, rowId } from "@/app/_lib/guard";
import { pictureOf } from "@/server/bench/emulated-drills";

export const GET = route<{ id: string }>("readPicture", "reader", async ({ context, params }) => {
  const picture = await pictureOf(context, rowId(params.id));
  if (!picture.ok) return new Response("There is no such picture.", { status: 404 });
  return new Response(picture.value as Uint8Array<ArrayBuffer>, {
    headers: { "content-type": "image/png" },
  });
});
