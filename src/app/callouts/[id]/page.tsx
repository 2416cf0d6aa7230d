import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { PrintButton } from "@/app/_parts/print-button";
import type { Happening } from "@/core/callout/happenings";
import { systemDisk } from "@/core/computer/needs/system-disk";
import { calloutOutcomeText, cameBackText, fitText, happeningText, lostText, shrinkText } from "@/core/words/callout";
import { durationText } from "@/core/words/images";

import { bytesText } from "@/core/words/sizes";
import { marksOf } from "@/server/callouts/callout-marks";
import {
  type CalloutDetail,
  getCallout,
  offersOf,
  type ReplacementView,
  replacementOf,
  stepsOf,
} from "@/server/callouts/callouts";
import { Size } from "@/ui/size";
import { Strip } from "@/ui/strip";
import { dateText, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { CloseForm, ComputerForm, DiskForm } from "./acts";
import { Guide } from "./guide";
import { Offers } from "./offers";

interface Props {
  params: Promise<{ id: string }>;
  searchParams: SearchParams;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const detail = await getCallout(await currentContext(), Number((await params).id) || 0);
  return { title: detail ? `Call-out ${detail.computer.row.tag}` : "Call-out" };
}

export default async function Callout({ params, searchParams }: Props) {
  const [context, { id }, query] = await Promise.all([currentContext(), params, searchParams]);
  const detail = await getCallout(context, Number(id) || 0);
  if (!detail) notFound();
  const { row, computer } = detail;
  const isChoosing = row.chosen === null || (one(query.ways) === "1" && row.closedAt === null);
  const [steps, marks, offers, replacement] = await Promise.all([
    stepsOf(context, detail),
    marksOf(context, row.id),
    isChoosing ? offersOf(context, detail) : null,
    replacementOf(context, detail),
  ]);
  const asksDisk = NEEDS_DISK.includes(row.happening) && row.closedAt === null && isChoosing;
  const oldDisk = systemDisk(computer.facts);
  const closing = {
    ...{ calloutId: row.id, medium: row.chosen?.medium ?? null, newDisk: row.newDisk && bytesText(row.newDisk.bytes) },
    // Of an image that is only opened files come back.
    usual: row.chosen && (row.happening === "files-lost" ? ("files" as const) : row.chosen.outcome),
  };
  return (
    <article className="max-w-5xl">
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>
            <Link prefetch={false} className="code" href={`/computers/${encodeURIComponent(computer.row.tag)}`}>
              {computer.row.tag}
            </Link>{" "}
            {computer.row.name}: {happeningText(row.happening)}
          </h1>
          <p className="text-quiet">
            {[computer.siteName, computer.row.make, computer.row.model].filter(Boolean).join(", ")}. Opened{" "}
            {zonedTimeText(row.openedAt)} by {row.openedBy}
            {row.since && `; fault possible since ${dateText(row.since)}`}
          </p>
        </div>
        <span className="flex gap-2 print:hidden">
          {steps && <PrintButton />}
          <a className="act" href={`/callouts/${row.id}/report`}>
            Report
          </a>
        </span>
      </header>
      {row.closedAt && row.outcome && (
        <p className="mt-4 border-sea border-l-4 bg-sunk px-3 py-2 text-lg">
          {cameBackText(row.outcome.cameBack)}, {zonedTimeText(row.closedAt)}, after {durationText(secondsOf(detail))}.
          {row.outcome.lost && ` Lost: ${row.outcome.lost}.`}
          {row.outcome.failed && ` ${row.outcome.failed}`}
        </p>
      )}
      {row.chosen && (
        <section className="mt-5">
          <h2>
            {row.chosen.medium}: {calloutOutcomeText(row.chosen.outcome)}
            {row.chosen.image && `, ${row.chosen.image.name}`}
          </h2>
          <p className="text-quiet">
            About {durationText(row.chosen.seconds)} in all. {lostText(row.chosen.lost)}{" "}
            {!row.closedAt && !isChoosing && (
              <Link prefetch={false} className="link print:hidden" href={`/callouts/${row.id}?ways=1`}>
                Choose another route
              </Link>
            )}
          </p>
        </section>
      )}
      {asksDisk && (
        <section className="mt-5 print:hidden">
          <h2>New disk</h2>
          <p className="mb-2 text-quiet">
            Its size decides which images fit; the size as sold is enough. Old disk:{" "}
            {oldDisk ? <Size bytes={oldDisk.bytes} both /> : "not recorded"}.
          </p>
          <DiskForm calloutId={row.id} hasDisk={replacement !== null} like={oldDisk} />
          {replacement && <Replacement view={replacement} />}
        </section>
      )}
      {offers && <Offers detail={detail} offers={offers} />}
      {!row.closedAt && (
        <section className="mt-5 print:hidden">
          <details open={replacement !== null || detail.newComputer !== null}>
            <summary className="cursor-pointer font-semibold">
              {asksDisk ? "Replacement computer" : "New disk or replacement computer"}
            </summary>
            <div className="mt-2">
              {!asksDisk && <DiskForm calloutId={row.id} hasDisk={replacement !== null} like={oldDisk} />}
              <ComputerForm key={row.version} calloutId={row.id} tag={detail.newComputer?.row.tag ?? null} />
              {detail.newComputer && (
                <p className="mt-2">
                  On <span className="code font-bold">{detail.newComputer.row.tag}</span>,{" "}
                  {[detail.newComputer.row.make, detail.newComputer.row.model].filter(Boolean).join(" ") ||
                    "of a model that is not recorded"}
                  : the routes above are judged for it. An image of {computer.row.tag} fits another model only with a
                  kit that adapts drivers.
                </p>
              )}
              {replacement && !asksDisk && <Replacement view={replacement} />}
            </div>
          </details>
        </section>
      )}
      {steps && !isChoosing && (
        <div className="mt-5">
          <h2>Run sheet</h2>
          <Guide
            calloutId={row.id}
            steps={steps}
            known={marks}
            person={context.person.name}
            closing={row.closedAt === null ? closing : null}
          />
        </div>
      )}
      {!row.closedAt && !(steps && !isChoosing) && (
        <section className="mt-6 print:hidden">
          <h2>Closing</h2>
          <CloseForm {...closing} notTicked={[]} onDone={null} />
        </section>
      )}
      {row.closedAt && row.outcome?.cameBack !== "not-back" && (
        <Afterwards tag={(detail.newComputer ?? computer).row.tag} />
      )}
    </article>
  );
}

/** What is asked once a computer runs again: it is as good as it will be. */
function Afterwards({ tag }: { tag: string }) {
  const of = encodeURIComponent(tag);
  return (
    <section className="mt-6 print:hidden">
      <h2>Next</h2>
      <ul className="mt-1 flex flex-wrap gap-3">
        <li>
          <Link prefetch={false} className="act" href={`/images/take?computer=${of}`}>
            Take image
          </Link>
        </li>
        <li>
          <Link prefetch={false} className="act" href="/computers/facts">
            Import facts
          </Link>
        </li>
        <li>
          <Link prefetch={false} className="act" href={`/bench/make?tags=${of}`}>
            Make medium
          </Link>
        </li>
      </ul>
    </section>
  );
}

/** Happenings after which another disk is put in. */
const NEEDS_DISK: readonly Happening[] = ["disk-gone", "new-disk"];

function secondsOf({ row }: CalloutDetail) {
  const seconds = ((row.closedAt?.getTime() ?? Date.now()) - row.openedAt.getTime()) / 1000;
  return { low: seconds, likely: seconds, high: seconds };
}

function Replacement({ view: { disk, old, fits, largest, shrinking } }: { view: ReplacementView }) {
  const scale = Math.max(disk.bytes, old?.bytes ?? 0, ...fits.map(({ diskBytes }) => diskBytes ?? 0));
  return (
    <div className="mt-3 space-y-2">
      <p>
        New disk: <Size bytes={disk.bytes} both />
        {old && (
          <>
            ; old disk: <Size bytes={old.bytes} both />
          </>
        )}
        .
      </p>
      <Strip
        bytes={disk.bytes}
        scaleBytes={scale}
        parts={[{ key: "new", start: 0, bytes: disk.bytes, title: "new disk", tone: "data" }]}
        label="The new disk"
      />
      {fits.map(({ image, takenAt, diskBytes, fit }) => (
        <div key={image}>
          <p>
            <strong>{image}</strong> <span className="text-quiet">{dateText(takenAt)}</span>{" "}
            <span className={fit.state === "fits" ? "" : "text-plum"}>{fitText(fit)}</span>
            {image === largest && ": the largest that fits"}
          </p>
          {diskBytes !== null && (
            <Strip
              bytes={diskBytes}
              scaleBytes={scale}
              parts={[{ key: image, start: 0, bytes: diskBytes, title: "disk of the image", tone: "system" }]}
              label={`The disk of ${image}`}
            />
          )}
        </div>
      ))}
      {fits.length === 0 && <p className="text-quiet">No image recorded.</p>}
      {shrinking && <p>{shrinkText(shrinking)}</p>}
    </div>
  );
}
