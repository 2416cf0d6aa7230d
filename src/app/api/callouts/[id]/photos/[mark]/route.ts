import { currentContext } from "@/app/_lib/context";
import { photoOf } from "@/server/callouts/callout-marks";

interface Props {
  params: Promise<{ id: string; mark: string }>;
}

export async function GET(_request: Request, { params }: Props): Promise<Response> {
  const [context, { id, mark }] = await Promise.all([currentContext(), params]);
  const photo = await photoOf(context, Number(id) || 0, mark);
  if (!photo) return new Response("There is no such picture.", { status: 404 });
  return new Response(photo.bytes as Uint8Array<ArrayBuffer>, {
    headers: {
      "content-type": photo.type,
      "x-content-type-options": "nosniff",
      "cache-control": "private, max-age=31536000, immutable",
    },
  });
}
