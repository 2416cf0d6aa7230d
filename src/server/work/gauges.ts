import { eq, sql } from "drizzle-orm";
import { Gauge, Registry } from "prom-client";
import type { Context } from "../context";
import { benchJobs, jobs } from "../db/schema";
import { fleetStanding } from "../fleet/asked";

/** What the database says of work, and how the fleet stands in this process, for Prometheus. */
export async function workGauges({ db }: Context): Promise<string> {
  const registry = new Registry();
  const gauge = <L extends string>(name: string, help: string, labelNames: L[] = []) =>
    new Gauge({ name, help, labelNames, registers: [registry] });
  const [ofKinds, ofBench] = await Promise.all([
    db
      .select({ kind: jobs.kind, state: jobs.state, count: sql<number>`COUNT(*)` })
      .from(jobs)
      .where(sql`${jobs.state} IN ('queued', 'running', 'paused', 'interrupted')`)
      .groupBy(jobs.kind, jobs.state),
    db.select({ count: sql<number>`COUNT(*)` }).from(benchJobs).where(eq(benchJobs.state, "running")),
  ]);
  const open = gauge("creel_jobs", "Work that is not over, by kind and state.", ["kind", "state"]);
  for (const { kind, state, count } of ofKinds) open.set({ kind, state }, Number(count));
  gauge("creel_bench_jobs_running", "Media that are being written or verified.").set(Number(ofBench[0]?.count ?? 0));
  gauge("creel_fleet_behind", "1 while pages are behind the latest changes of the fleet.").set(
    fleetStanding().isBehind ? 1 : 0,
  );
  return registry.metrics();
}
