import type { Metadata } from "next";
import Link from "next/link";
import { cameBackText, happeningText } from "@/core/words/callout";
import { durationText } from "@/core/words/images";
import { type CalloutItem, listCallouts } from "@/server/callouts/callouts";
import { tagsInService } from "@/server/inventory/computers";
import { dateText, zonedTimeText } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, type SearchParams } from "../_lib/params";
import { OpenForm } from "./open-form";
import { TimesChart } from "./times-chart";

export const metadata: Metadata = { title: "Call-outs" };

export default async function Callouts({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const [open, closed, computers] = await Promise.all([
    listCallouts(context, "open"),
    listCallouts(context, "closed"),
    tagsInService(context),
  ]);
  return (
    <>
      <h1>Call-outs</h1>
      <p className="mb-3 text-quiet">
        Say which computer failed and what happened. Its recovery routes follow, best first.
      </p>
      <OpenForm computer={one(query.computer) ?? ""} computers={computers} />
      <section className="mt-6">
        <h2>Open</h2>
        {open.length === 0 && <p className="text-quiet">None open.</p>}
        <ul data-list className="mt-1 divide-y divide-line">
          {open.map((item) => (
            <li
              key={item.row.id}
              className="grid grid-cols-[6rem_minmax(0,1fr)] items-baseline gap-x-3 py-1.5 md:grid-cols-[7rem_minmax(0,1fr)_14rem]"
            >
              <Link prefetch={false} data-item className="code font-bold" href={`/callouts/${item.row.id}`}>
                {item.computer}
              </Link>
              <span>
                {item.name}: {happeningText(item.row.happening)}
                {item.row.chosen ? `; ${item.row.chosen.medium} in use` : "; no route chosen yet"}
              </span>
              <span className="col-start-2 text-quiet md:col-start-3">
                {zonedTimeText(item.row.openedAt)}, {item.row.openedBy}
              </span>
            </li>
          ))}
        </ul>
      </section>
      {closed.length > 0 && (
        <section className="mt-6">
          <h2>Handed back</h2>
          <TimesChart points={timesOf(closed)} />
          <ul data-list className="mt-1 divide-y divide-line">
            {closed.map((item) => (
              <li
                key={item.row.id}
                className="grid grid-cols-[6rem_minmax(0,1fr)_auto] items-baseline gap-x-3 py-1.5 md:grid-cols-[7rem_minmax(0,1fr)_9rem_9rem]"
              >
                <Link prefetch={false} data-item className="code font-bold" href={`/callouts/${item.row.id}`}>
                  {item.computer}
                </Link>
                <span className="col-span-2 md:col-span-1">
                  {happeningText(item.row.happening)}; {item.row.outcome && cameBackText(item.row.outcome.cameBack)}
                </span>
                <span className="col-start-2 md:col-start-3">{durationText(secondsOf(item))}</span>
                <span className="text-quiet">{dateText(item.row.closedAt)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

function secondsOf({ row }: CalloutItem) {
  const seconds = ((row.closedAt?.getTime() ?? 0) - row.openedAt.getTime()) / 1000;
  return { low: seconds, likely: seconds, high: seconds };
}

/** Minutes by outcome; those that were not brought back took no time to be. */
function timesOf(closed: CalloutItem[]): { outcome: string; minutes: number }[] {
  return closed.flatMap(({ row }) => {
    const cameBack = row.outcome?.cameBack;
    if (!cameBack || cameBack === "not-back" || !row.closedAt) return [];
    return [{ outcome: cameBack, minutes: Math.round((row.closedAt.getTime() - row.openedAt.getTime()) / 60_000) }];
  });
}
