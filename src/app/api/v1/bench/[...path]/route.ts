import { type ApiParams, answered } from "@/app/_lib/api";
import { tokenRoute } from "@/app/_lib/guard";

export const dynamic = "force-dynamic";

/** What bench hosts ask. */
export const POST = tokenRoute<ApiParams>(
  "apiBench",
  "bench",
  (asked) => answered({ ...asked, params: { path: ["bench", ...asked.params.path] } }),
  () => null,
  { isChatty: true },
);
