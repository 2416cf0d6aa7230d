import { tokenRoute } from "@/app/_lib/guard";
import { metrics } from "@/server/host/metrics";
import { workGauges } from "@/server/work/gauges";

export const dynamic = "force-dynamic";

/** What Prometheus asks for, in its text form. */
export const GET = tokenRoute("readMetrics", "metrics", async ({ context }) => {
  const { registry } = metrics();
  const text = `${await registry.metrics()}\n${await workGauges(context)}`;
  return new Response(text, { headers: { "content-type": registry.contentType } });
});
