import type { Context } from "@/server/context";
import { Engine } from "@/server/jobs/engine";
import { KINDS } from "@/server/work/kinds";

/** Does whatever waits, to its end, as a server does; `only`: one after the other of that kind. */
export async function doJobs(context: Context, only?: string): Promise<void> {
  const kind = only === undefined ? undefined : KINDS[only];
  const kinds = kind && only !== undefined ? { [only]: { ...kind, slots: 1 } } : KINDS;
  const engine = new Engine(context.db, kinds, { now: context.now });
  try {
    await engine.look();
  } finally {
    await engine.idle();
  }
}
