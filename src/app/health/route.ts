import { sql } from "drizzle-orm";
import { database } from "@/server/db/client";

export const dynamic = "force-dynamic";

/** Up and with a database behind it. */
export async function GET(): Promise<Response> {
  try {
    await database().execute(sql`SELECT 1`);
    return Response.json({ status: "up" });
  } catch {
    return Response.json({ status: "no database" }, { status: 503 });
  }
}
