import { database } from "@/server/db/client";
import { databaseStanding, isOfThisVersion } from "@/server/db/standing";
import { openRoute } from "../_lib/guard";

export const dynamic = "force-dynamic";

/** Whether requests may be sent here: its database answers, and has the schema of this version. */
export const GET = openRoute("readReadiness", async () => {
  const standing = await databaseStanding(database());
  const status = standing !== "up" ? standing : (await isOfThisVersion(database())) ? "ready" : "other schema";
  return Response.json({ status }, { status: status === "ready" ? 200 : 503 });
});
