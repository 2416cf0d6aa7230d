import { eq } from "drizzle-orm";
import { act } from "../act";
import type { Context } from "../context";
import { jobs } from "../db/schema";
import { ok } from "../problems";
import type { JobKind } from "./engine";
import { askOfJob } from "./jobs";

/**
 * Asks the job that holds something to end. One that waits is told as cancelled at once, with what it was about; of one
 * that runs it is asked, and said once its worker has stopped. Gives whether there was one.
 */
export async function cancelHolder(context: Context, holds: string, kind: JobKind): Promise<boolean> {
  const asked = await act(context, null, async (acting) => {
    const [job] = await acting.db.select().from(jobs).where(eq(jobs.holds, holds));
    const result = job && (await askOfJob(acting, job.id, "cancel"));
    if (!job || !result?.ok) return ok(false);
    if (result.value === "told") await kind.ended?.(acting, job, { state: "cancelled" });
    return ok(true);
  });
  return asked.ok && asked.value;
}
