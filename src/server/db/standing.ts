import { sql } from "drizzle-orm";
import type { Database } from "./client";
import journal from "./migrations/meta/_journal.json";
import { revisions } from "./schema";

const ANSWERS_WITHIN_MS = 1_800;

/** How the database stands: "up"; "no database" where it does not answer in time, or is a node without a quorum. */
export async function databaseStanding(db: Database): Promise<"up" | "no database"> {
  // A node of a cluster that lost its quorum still answers what asks no table (MariaDB, "Galera Cluster Status Variables").
  const asked = db.select({ revision: revisions.revision }).from(revisions).limit(1);
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error("late")), ANSWERS_WITHIN_MS);
  });
  try {
    await Promise.race([asked, late]);
    return "up";
  } catch {
    return "no database";
  } finally {
    clearTimeout(timer);
  }
}

/** Whether its schema is that of this version: no step is missing, and none is there that this version does not know. */
export async function isOfThisVersion(db: Database): Promise<boolean> {
  const [rows] = (await db.execute(sql`SELECT COUNT(*) AS steps FROM __drizzle_migrations`)) as unknown as [
    { steps: number }[],
  ];
  return Number(rows[0]?.steps) === journal.entries.length;
}
