import { problemDetails, tokenRoute } from "@/app/_lib/guard";
import { COLLECTORS, collectorFor } from "@/server/arrivals/collector";
import { ownOrigins } from "@/server/host/addresses";

export const dynamic = "force-dynamic";

/** A collector that reports here, for those who paste a line or follow a code: the address is the secret. */
export const GET = tokenRoute<{ secret: string; file: string }>(
  "readCollector",
  "facts",
  async ({ params: { secret, file } }) => {
    const [name, address] = [COLLECTORS.find((each) => each === file), ownOrigins()[0]];
    if (!name || !address) return problemDetails({ code: "not-found", what: "collector", name: file });
    return new Response(await collectorFor(name, address, secret), {
      headers: {
        "content-type": "text/plain; charset=utf-8",
        "content-disposition": `attachment; filename="${name}"`,
      },
    });
  },
  ({ secret }) => secret,
);
