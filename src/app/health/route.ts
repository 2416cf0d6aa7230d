import { sql } from "drizzle-orm";
import { database } from "@/server/db/client";
import { openRoute } from "../_lib/guard";

export const dynamic = "force-dynamic";

/** Up and with a database behind it. */
export const GET = openRoute("readHealth", async () => {
  try {
    await database().execute(sql`SELECT 1`);
    return Response.json({ status: "up" });
  } catch {
    return Response.json({ status: "no database" }, { status: 503 });
  }
});
