import { database } from "@/server/db/client";
import { databaseStanding } from "@/server/db/standing";
import { openRoute } from "../_lib/guard";

export const dynamic = "force-dynamic";

/** Up and with a database behind it that answers within two seconds. */
export const GET = openRoute("readHealth", async () => {
  const status = await databaseStanding(database());
  return Response.json({ status }, { status: status === "up" ? 200 : 503 });
});
