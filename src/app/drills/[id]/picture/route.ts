import { currentContext } from "@/app/_lib/context";
import { pictureOf } from "@/server/bench/emulated-drills";

interface Props {
  params: Promise<{ id: string }>;
}

export async function GET(_request: Request, { params }: Props): Promise<Response> {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const picture = await pictureOf(context, Number(id) || 0);
  if (!picture.ok) return new Response("There is no such picture.", { status: 404 });
  return new Response(picture.value as Uint8Array<ArrayBuffer>, {
    headers: { "content-type": "image/png", "x-content-type-options": "nosniff" },
  });
}
