import { sql, sum } from "drizzle-orm";
import { HOST_THERE_SECONDS } from "../bench/host-list";
import type { Context } from "../context";
import { arrivals, benchHosts, berths, deviceLooks, reportedChanges } from "../db/schema";
import { DATABASE_NOW } from "../jobs/jobs";

/** Texts that differ once there is something new to see: on Today, and on the bench. */
export interface Marks {
  /** What computers reported that changes what starts them, and which of them wait. */
  reports: string;
  /** What is in berths, what was read of it, and which bench hosts are connected. */
  berths: string;
}

/** One question, by indexes and small tables. */
export async function marksOf({ db }: Pick<Context, "db">): Promise<Marks> {
  const one = (query: ReturnType<typeof sql>) => sql<string>`(${query})`;
  const [found] = (await db.execute(sql`SELECT
    ${one(sql`SELECT CONCAT(COUNT(*), ' ', COALESCE(MAX(${reportedChanges.id}), 0)) FROM ${reportedChanges}`)} AS changes,
    ${one(sql`SELECT COUNT(*) FROM ${arrivals} WHERE ${arrivals.state} = 'waiting'`)} AS waiting,
    ${one(sql`SELECT CONCAT(COUNT(*), ' ', COALESCE(${sum(berths.version)}, 0)) FROM ${berths}`)} AS seats,
    ${one(sql`SELECT CONCAT(COUNT(*), ' ', COALESCE(MAX(${deviceLooks.at}), '')) FROM ${deviceLooks}`)} AS looks,
    ${one(
      sql`SELECT COUNT(*) FROM ${benchHosts} WHERE ${benchHosts.seenAt} > ${DATABASE_NOW} - INTERVAL ${HOST_THERE_SECONDS} SECOND`,
    )} AS hosts`)) as unknown as [Record<"changes" | "waiting" | "seats" | "looks" | "hosts", string | number>[]];
  const [row] = found;
  const told = (...keys: (keyof NonNullable<typeof row>)[]) => keys.map((key) => row?.[key] ?? "").join(" ");
  return { reports: told("changes", "waiting"), berths: told("seats", "looks", "hosts") };
}
