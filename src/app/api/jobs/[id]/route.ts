import { getJobRow, type Job } from "@/server/jobs/jobs";
import { route, rowId } from "../../../_lib/guard";

/** What a page that follows a job is told. */
export type JobAnswer = Pick<Job, "state" | "progress" | "result" | "failure">;

/** How far a job is, and what it came to. */
export const GET = route<{ id: string }>("readJob", "reader", async ({ context, params }) => {
  const job = await getJobRow(context, rowId(params.id));
  if (!job) return Response.json({ problem: "There is no such job." }, { status: 404 });
  const { state, progress, result, failure } = job;
  return Response.json({ state, progress, result, failure } satisfies JobAnswer);
});
