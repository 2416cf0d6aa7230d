import { openRoute } from "@/app/_lib/guard";
import { openApi } from "@/server/api/open-api";

export const dynamic = "force-dynamic";

/** What the HTTP interface is, as OpenAPI 3.1: for anybody, since it tells nothing of the inventory. */
export const GET = openRoute("apiDescription", async () =>
  Response.json(openApi(), { headers: { "cache-control": "public, max-age=300" } }),
);
