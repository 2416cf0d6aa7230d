import type { Metadata } from "next";
import Link from "next/link";
import { PrintButton } from "@/app/_parts/print-button";
import { taskText } from "@/core/words/cover";
import { dueReasonText, dueTitle } from "@/core/words/upkeep";
import { type VisitView, visitPlaces, visitView } from "@/server/upkeep/visits";
import { plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { UpkeepNav } from "../nav";
import { VisitForm } from "./visit-form";

export const metadata: Metadata = { title: "Visits" };

/** Everything that is due at one place as one trip, on paper or on a tablet; its results are entered in one pass. */
export default async function Visits({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const site = one(query.site) || null;
  if (site === null) return <Places places={await visitPlaces(context)} />;
  const visit = await visitView(context, site);
  return (
    <>
      <UpkeepNav here="/upkeep/visits" />
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>Visit to {site}</h1>
          <p className="text-quiet">{summary(visit)}</p>
        </div>
        <div className="flex gap-2 print:hidden">
          <Link prefetch={false} className="act" href="/upkeep/visits">
            All sites
          </Link>
          <PrintButton />
        </div>
      </header>
      {visit.jobs.length + visit.tasks.length === 0 ? (
        <p className="mt-3">Nothing due there.</p>
      ) : (
        <>
          <section className="mt-4">
            <h2>Take along</h2>
            {visit.take.length === 0 && <p className="text-quiet">Nothing: everything needed is there.</p>}
            <ul>
              {visit.take.map(({ medium, from }) => (
                <li key={medium} className="flex items-baseline gap-2 py-0.5">
                  <span aria-hidden className="hidden print:inline">
                    ☐
                  </span>
                  <span className="code font-bold">{medium}</span>
                  <span className="text-quiet">{from === null ? "without a recorded site" : `from ${from}`}</span>
                </li>
              ))}
            </ul>
          </section>
          <VisitForm
            site={site}
            jobs={visit.jobs.map(({ item, also, minutes, results }) => ({
              ...{ key: item.key, computer: item.computer, title: dueTitle(item) },
              why: [item, ...also].map(({ reason }) => dueReasonText(reason)).join(" "),
              ...{ minutes, results: [...results] },
            }))}
            tasks={visit.tasks.map(({ id, body }) => ({ id, text: taskText(body) }))}
          />
        </>
      )}
    </>
  );
}

function hours(minutes: number): string {
  return minutes < 90 ? `${minutes} minutes` : `${(minutes / 60).toFixed(1)} hours`;
}

function summary({ jobs, tasks, minutes, from, left }: VisitView): string {
  const [nearest] = [...from].sort((a, b) => a.minutes - b.minutes);
  const way = nearest ? ` Travel from ${nearest.place}: ${hours(nearest.minutes)}.` : "";
  return `${plural(jobs.length + tasks.length, "thing")} to do, about ${hours(minutes)}.${way}${left > 0 ? ` ${left.toLocaleString("en-GB")} more left for another visit.` : ""}`;
}

function Places({ places }: { places: { site: string; count: number; minutes: number }[] }) {
  return (
    <>
      <UpkeepNav here="/upkeep/visits" />
      <h1>Visits</h1>
      <p className="max-w-3xl text-quiet">
        Everything due at a site in one trip: what to take along, what to do at which computer, and how long it takes.
      </p>
      {places.length === 0 && <p className="mt-2">Nothing due at any site.</p>}
      <ul data-list className="mt-3 max-w-2xl divide-y divide-line border-line border-y">
        {places.map(({ site, count, minutes }) => (
          <li key={site} className="grid grid-cols-[minmax(0,1fr)_8rem_9rem] items-baseline py-1.5">
            <Link
              prefetch={false}
              data-item
              className="font-semibold"
              href={`/upkeep/visits?${new URLSearchParams({ site })}`}
            >
              {site}
            </Link>
            <span>{plural(count, "thing")}</span>
            <span className="text-quiet">about {hours(minutes)}</span>
          </li>
        ))}
      </ul>
    </>
  );
}
