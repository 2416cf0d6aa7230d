import type { Context } from "@/server/context";
import { Engine, type EngineTimes } from "@/server/jobs/engine";
import { KINDS } from "@/server/work/kinds";

/** Does whatever waits, to its end, as a server does. */
export async function doJobs(context: Context, times: Partial<EngineTimes> = {}): Promise<void> {
  const engine = new Engine(context.db, KINDS, { now: context.now, times });
  await engine.look();
  await engine.idle();
}
