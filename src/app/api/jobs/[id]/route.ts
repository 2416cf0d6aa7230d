import { getJobRow, type Job } from "@/server/jobs/jobs";
import { currentContext } from "../../../_lib/context";

/** What a page that follows a job is told. */
export type JobAnswer = Pick<Job, "state" | "progress" | "result" | "failure">;

/** How far a job is, and what it came to. */
export async function GET(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  const job = await getJobRow(await currentContext(), Number((await params).id) || 0);
  if (!job) return Response.json({ problem: "There is no such job." }, { status: 404 });
  const { state, progress, result, failure } = job;
  return Response.json({ state, progress, result, failure } satisfies JobAnswer);
}
