import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { LABEL_FORMATS } from "@/core/making/labels/formats";
import { lineText, resultText, wayText } from "@/core/words/bench";
import { mediumAnswerText } from "@/core/words/routes";
import { getJob } from "@/server/bench/jobs";
import { computersOf, getMedium } from "@/server/media/media";
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
    request.kind === "prepare"
      ? `Make ${request.plainStore?.name ?? job.mediumTag}`
      : job.kind === "verify"
        ? `Verify ${device.model}`
        : `Test ${device.model}`;
  return (
    <article className="max-w-3xl">
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>{what}</h1>
          <p className="text-quiet">
            {[
              release && `from ${release}`,
              request.kind === "prepare" && (request.plainStore ? "a store" : wayText(request.way)),
              `in ${berth}`,
            ]
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
      {result?.state === "verified" && job.mediumTag && <Next tag={job.mediumTag} />}
      {result?.state === "verified" && request.kind === "prepare" && request.plainStore && (
        <p className="mt-5">
          <Link prefetch={false} className="act-main" href="/stores">
            See the stores
          </Link>
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

/** What is left to do with a medium that was made: its label, its place, and a drill. */
async function Next({ tag }: { tag: string }) {
  const context = await currentContext();
  const medium = await getMedium(context, tag);
  if (!medium) return null;
  const chained = await computersOf(context, medium.row.id);
  const of = encodeURIComponent(tag);
  return (
    <section className="mt-5">
      <h2>Next</h2>
      {chained && <p>{mediumAnswerText(tag, chained.counts)}</p>}
      <p>
        {medium.siteName
          ? `Label ${tag} and take it to ${medium.siteName}. A drill there proves it.`
          : `Label ${tag} and record where it is kept: until then it is at hand nowhere.`}
      </p>
      <p className="mt-2 flex flex-wrap gap-3">
        <a className="act-main" href={`/media/labels?tags=${of}&format=${LABEL_FORMATS[0]?.key ?? ""}`}>
          Print label
        </a>
        {!medium.siteName && (
          <Link prefetch={false} className="act" href={`/media/${of}/edit`}>
            Record its site
          </Link>
        )}
        <Link prefetch={false} className="act" href={`/media/${of}`}>
          See {tag}
        </Link>
        <Link prefetch={false} className="act" href={`/drills/new?medium=${of}`}>
          Record a drill
        </Link>
      </p>
    </section>
  );
}
