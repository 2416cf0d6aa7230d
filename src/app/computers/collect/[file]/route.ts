import { problemResponse, route } from "@/app/_lib/guard";
import { COLLECTORS, plainCollector } from "@/server/arrivals/collector";

/** A collector that reports to nobody, to be carried. */
export const GET = route<{ file: string }>("readPlainCollector", "reader", async ({ params: { file } }) => {
  const name = COLLECTORS.find((each) => each === file);
  if (!name) return problemResponse({ code: "not-found", what: "collector", name: file });
  return new Response(await plainCollector(name), {
    headers: { "content-type": "text/plain; charset=utf-8", "content-disposition": `attachment; filename="${name}"` },
  });
});
