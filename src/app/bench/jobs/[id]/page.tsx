import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { lineText, resultText, wayText } from "@/core/words/bench";
import { getJob } from "@/server/bench/jobs";
import { Size } from "@/ui/size";
import { timeText } from "@/ui/words";
import { currentContext } from "../../../_lib/context";
import { JobMeter } from "../../job-meter";
import { JobActs } from "./job-acts";

interface Props {
  params: Promise<{ id: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `Job ${(await params).id}` };
}

export default async function Job({ params }: Props) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const found = Number.isSafeInteger(Number(id)) ? await getJob(context, Number(id)) : null;
  if (!found) notFound();
  const { job, personName, berth, device, release, lines } = found;
  const { request, result, state } = job;
  const what =
    job.kind === "prepare"
      ? `Make ${job.mediumTag}`
      : job.kind === "verify"
        ? `Verify ${device.model}`
        : `Test ${device.model}`;
  return (
    <article className="max-w-3xl">
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>{what}</h1>
          <p className="text-quiet">
            {[release && `from ${release}`, request.kind === "prepare" && wayText(request.way), `in ${berth}`]
              .filter(Boolean)
              .join(", ")}
            : <Size bytes={device.bytes} /> {device.model} <span className="code">{device.serial ?? ""}</span>
          </p>
          <p className="caption">
            Job {job.id}, requested by {personName}
          </p>
        </div>
        <Link prefetch={false} className="act" href="/bench">
          Back to the bench
        </Link>
      </header>
      {result ? (
        <p
          className={`mt-4 border-l-4 px-3 py-2 text-lg ${state === "done" ? "border-sea bg-sunk" : "border-plum bg-plum-soft"}`}
        >
          {resultText(result)}
        </p>
      ) : (
        <div className="mt-4">
          <JobMeter
            initial={{
              id: job.id,
              state,
              phase: job.phase,
              doneBytes: job.doneBytes,
              totalBytes: job.totalBytes,
              rate: job.rate,
            }}
          />
        </div>
      )}
      <JobActs
        id={job.id}
        state={state}
        kind={job.kind}
        canGoOn={result?.state === "fault" || result?.state === "source-failed"}
      />
      {result?.state === "verified" && job.mediumTag && (
        <p className="mt-3">
          <Link prefetch={false} className="link" href={`/media/${encodeURIComponent(job.mediumTag)}`}>
            See {job.mediumTag}
          </Link>{" "}
          <span className="text-quiet">and what it is a route for; a drill proves it.</span>
        </p>
      )}
      <section className="mt-6">
        <h2>Log</h2>
        <ol className="mt-2 space-y-1">
          {lines.map(({ at, line }, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: lines are only ever added at the end
            <li key={index} className="grid grid-cols-[9.5rem_1fr] gap-x-3">
              <span className="caption tabular-nums">{timeText(at)}</span>
              <span>{lineText(line)}</span>
            </li>
          ))}
        </ol>
      </section>
    </article>
  );
}
