import Link from "next/link";
import { type ReactNode, Suspense } from "react";
import type { Verdict } from "@/core/judging/model/schema";
import type { DueItem } from "@/core/upkeep/due";
import { backupAlarmText } from "@/core/words/accounts";
import { happeningText } from "@/core/words/callout";
import { neededText, reasonText } from "@/core/words/reasons";
import { reportedText } from "@/core/words/reports";
import { weakText } from "@/core/words/routes";
import { consequenceText, dueReasonText, dueTitle } from "@/core/words/upkeep";
import { isEnough } from "@/server/accounts/roles";
import { countWaiting, openReports, type ReportedItem } from "@/server/arrivals/arrivals";
import { backupAlarm } from "@/server/backup/nightly";
import { type CalloutItem, listCallouts } from "@/server/callouts/callouts";
import { type CoverView, coverView } from "@/server/cover/view";
import { plannedOf } from "@/server/drills/planned-drills";
import { type FirstSteps, firstSteps } from "@/server/fleet/first-steps";
import { type CoverState, latestEvents, type Overview, overview } from "@/server/fleet/overview";
import { dueView, firstBreak } from "@/server/upkeep/due";
import { ChainLegend, ChainLink } from "@/ui/chain";
import { EventList } from "@/ui/event-line";
import { ProblemLine } from "@/ui/problem-line";
import { dateText, firmwareText, plural } from "@/ui/words";
import { currentContext } from "./_lib/context";
import { ActButton } from "./_parts/act-button";
import { KeepCurrent } from "./_parts/keep-current";
import { FirstStepsList } from "./_shell/first-steps";
import { markSeenAction } from "./computers/arrivals/actions";
import { computersQuery } from "./computers/state";
import { actOf } from "./upkeep/due-acts";

const STATES: { state: CoverState; verdict: Verdict; title: string }[] = [
  { state: "holds", verdict: "holds", title: "Route holds" },
  { state: "holds-after-change", verdict: "holds-after-change", title: "After a change" },
  { state: "unknown", verdict: "unknown", title: "Unknown" },
  { state: "broken", verdict: "broken", title: "Broken" },
];

export default async function Today() {
  const context = await currentContext();
  const [steps, today, cover, first, events, open, planned, waiting, reports, alarm] = await Promise.all([
    firstSteps(context),
    overview(context),
    coverView(context, { site: null, need: null, page: 1 }),
    firstBreak(context),
    latestEvents(context),
    listCallouts(context, "open", 6),
    plannedOf(context),
    countWaiting(context),
    openReports(context, REPORTS_SHOWN),
    isEnough(context.account.role, "lead") ? backupAlarm(context) : null,
  ]);
  if (today.computers === 0) return <Nothing steps={steps} waiting={waiting} />;
  const isBegun = Object.values(steps).every(Boolean);
  const overdue = planned.filter(({ isOverdue }) => isOverdue).length;
  const lacking = today.totals.broken + today.totals.none;
  return (
    <div className="grid gap-x-10 gap-y-6 xl:grid-cols-[minmax(0,1fr)_19rem]">
      <section>
        <KeepCurrent mark="reports" />
        <DownNow open={open} />
        {alarm && <ProblemLine boxed className="mt-3" text={backupAlarmText(alarm)} />}
        {!isBegun && <FirstStepsList done={steps} />}
        <Reported reports={reports} mayAct={isEnough(context.account.role, "technician")} />
        <Waiting count={waiting} />
        <h1 className="mt-4">{first ? breaking(first) : headline(today, lacking)}</h1>
        <Suspense fallback={<p className="mt-3 text-quiet">Loading what is due.</p>}>
          <DueFirst>
            {planned.length > 0 && (
              <p className="mt-1.5">
                <Link prefetch={false} className="link" href="/drills">
                  {plural(planned.length, "drill")} planned
                </Link>
                {overdue > 0 ? `, ${overdue.toLocaleString("en-GB")} overdue.` : "."}
              </p>
            )}
          </DueFirst>
        </Suspense>
        <section className="mt-6">
          <h2>Sites</h2>
          <p className="text-quiet">
            Each computer counts by its best route. All computers against all media:{" "}
            <Link prefetch={false} className="link" href="/chains">
              Chains
            </Link>
            .
          </p>
          <SiteTable today={today} cover={cover} />
          <div className="mt-2">
            <ChainLegend />
          </div>
        </section>
        <Gaps today={today} />
      </section>
      <aside aria-label="Latest changes">
        <h2>Latest changes</h2>
        <EventList events={events} className="mt-2 space-y-2" />
      </aside>
    </div>
  );
}

const REPORTS_SHOWN = 6;

/** What computers reported of themselves that changes which media start them. */
function Reported({ reports, mayAct }: { reports: ReportedItem[]; mayAct: boolean }) {
  if (reports.length === 0) return null;
  return (
    <section aria-label="Reported by computers" className="mt-3 max-w-3xl">
      <h2>Reported by computers</h2>
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {reports.map((report) => (
          <li key={report.id} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-1.5">
            <p>
              {reportedText(report.computer, report)}{" "}
              <span className="text-quiet">{dateText(report.at.toISOString().slice(0, 10))}</span>{" "}
              <Link prefetch={false} className="link" href={`/computers/${encodeURIComponent(report.computer)}`}>
                {report.computer}
              </Link>
            </p>
            {mayAct && (
              <ActButton
                text="Mark as seen"
                label={`Mark as seen: ${report.computer}`}
                act={markSeenAction.bind(null, report.id)}
              />
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Waiting({ count }: { count: number }) {
  if (count === 0) return null;
  return (
    <p className="mt-3">
      {plural(count, "computer")} reported, not recorded yet.{" "}
      <Link prefetch={false} className="link" href="/computers/arrivals">
        Arrivals
      </Link>
    </p>
  );
}

function breaking(first: DueItem): string {
  const { count, tags } = first.loses;
  const who = count === 1 ? `${tags[0]} loses its` : `${count} computers lose their`;
  return `${dueTitle(first)} before ${dateText(first.breaksOn)}: ${who} last qualifying route.`;
}

const DUE_SHOWN = 6;

async function DueFirst({ children }: { children: ReactNode }) {
  const { items, total, today } = await dueView(await currentContext(), { kind: null, site: null, page: 1 });
  if (total === 0) return children;
  return (
    <section className="mt-3 max-w-3xl">
      <h2>
        Most urgent
        <Link prefetch={false} className="link ml-3 font-normal text-[0.95rem]" href="/upkeep">
          all {total.toLocaleString("en-GB")}
        </Link>
      </h2>
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {items.slice(0, DUE_SHOWN).map((item) => (
          <li key={item.key} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-1.5">
            <p>
              <strong>{dueTitle(item)}</strong>
              {item.site && ` at ${item.site}`}.{" "}
              <span className={item.loses.count > 0 ? "text-plum" : "text-quiet"}>
                {consequenceText(item, today) || dueReasonText(item.reason)}
              </span>
            </p>
            <Link prefetch={false} className="link" href={actOf(item).href}>
              {actOf(item).text}
            </Link>
          </li>
        ))}
      </ul>
      {children}
    </section>
  );
}

/** Whether anybody is down now: the first question of the day. */
function DownNow({ open }: { open: CalloutItem[] }) {
  if (open.length === 0)
    return (
      <p className="text-quiet">
        No open call-out.{" "}
        <Link prefetch={false} className="link" href="/callouts">
          Open one
        </Link>
      </p>
    );
  return (
    <div className="border-plum border-l-4 bg-plum-soft px-3 py-2">
      <h2>Down now</h2>
      <ul>
        {open.map(({ row, computer, name }) => (
          <li key={row.id}>
            <Link prefetch={false} className="code font-bold" href={`/callouts/${row.id}`}>
              {computer}
            </Link>{" "}
            {name && `${name}: `}
            {happeningText(row.happening)}
            {row.chosen ? `; ${row.chosen.medium} in use` : "; no route chosen yet"}
          </li>
        ))}
      </ul>
    </div>
  );
}

function headline(today: Overview, lacking: number): string {
  const of = today.computers.toLocaleString("en-GB");
  const { unknown } = today.totals;
  if (today.media === today.mediaUnread)
    return `None of ${plural(today.computers, "computer")} has a medium that was read.`;
  if (lacking > 0) return `${plural(lacking, "computer")} of ${of} ${lacking === 1 ? "has" : "have"} no route.`;
  if (unknown > 0)
    return `${plural(unknown, "computer")} of ${of} ${unknown === 1 ? "has" : "have"} no confirmed route.`;
  return `Each of ${plural(today.computers, "computer")} has a route that holds.`;
}

function SiteTable({ today, cover }: { today: Overview; cover: CoverView }) {
  const lacking = new Map(cover.places.map((place) => [place.name, place]));
  return (
    <table className="mt-4 w-full max-w-3xl border-collapse">
      <caption className="sr-only">Computers by site and best route</caption>
      <thead>
        <tr className="border-line border-b text-left align-bottom">
          <th className="py-1.5 pr-3 font-semibold">Site</th>
          {STATES.map(({ state, verdict, title }) => (
            <th key={state} className="px-2 py-1.5 text-right font-normal">
              <ChainLink verdict={verdict} label={title} />
              <div className="caption">{title}</div>
            </th>
          ))}
          <th className="px-2 py-1.5 text-right font-normal">
            <div className="caption">meets policy</div>
          </th>
        </tr>
      </thead>
      <tbody>
        {today.bySite.map((site) => (
          <tr key={site.siteId ?? "none"} className="border-line border-b">
            <th scope="row" className="py-1.5 pr-3 text-left font-semibold">
              {site.siteId === null ? (
                "No site recorded"
              ) : (
                <Link prefetch={false} href={`/computers?site=${site.siteId}`}>
                  {site.siteName}
                </Link>
              )}
            </th>
            {STATES.map(({ state }) => {
              const count = site.counts[state] + (state === "broken" ? site.counts.none : 0);
              const best = state === "broken" && site.counts.none > 0 && site.counts.broken === 0 ? "none" : state;
              return (
                <td key={state} className="px-2 py-1.5 text-right tabular-nums">
                  {count === 0 ? (
                    <span className="text-quiet">–</span>
                  ) : (
                    <Link
                      prefetch={false}
                      className={state === "broken" ? "font-bold text-plum" : ""}
                      href={`/computers?best=${best}${site.siteId === null ? "" : `&site=${site.siteId}`}`}
                    >
                      {count}
                    </Link>
                  )}
                </td>
              );
            })}
            <Asked
              place={lacking.get(site.siteName)}
              href={`/cover?${new URLSearchParams({ site: site.siteName ?? "" })}`}
            />
          </tr>
        ))}
        <tr>
          <th scope="row" className="py-1.5 pr-3 text-left font-bold">
            Everywhere
          </th>
          {STATES.map(({ state }) => (
            <td key={state} className="px-2 py-1.5 text-right font-bold tabular-nums">
              {today.totals[state] + (state === "broken" ? today.totals.none : 0) || "–"}
            </td>
          ))}
          <td className="px-2 py-1.5 text-right font-bold tabular-nums">
            <Link prefetch={false} href="/cover">
              {cover.met.toLocaleString("en-GB")} of {cover.total.toLocaleString("en-GB")}
            </Link>
          </td>
        </tr>
      </tbody>
    </table>
  );
}

/** How many of a place have what their policy asks for. */
function Asked({ place, href }: { place: CoverView["places"][number] | undefined; href: string }) {
  if (!place) return <td />;
  return (
    <td className="px-2 py-1.5 text-right tabular-nums">
      <Link prefetch={false} href={href}>
        {(place.total - place.lacking).toLocaleString("en-GB")} of {place.total.toLocaleString("en-GB")}
      </Link>
    </td>
  );
}

function Gaps({ today }: { today: Overview }) {
  if (today.gaps.length === 0) return null;
  return (
    <div className="mt-6 max-w-3xl">
      <h2>Weakest links</h2>
      <ul className="mt-2 divide-y divide-line border-line border-y">
        {today.gaps.map((gap, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the list is made anew on every request
          <li key={index} className="grid grid-cols-[2.2rem_1fr] py-2.5">
            <ChainLink verdict={gap.state === "none" ? "broken" : gap.state} />
            <div>
              <p>
                <strong>{plural(gap.count, "computer")}</strong>, {gapText(gap)}
              </p>
              {gap.example && (
                <p className="text-quiet">
                  {gap.example.medium} on {gap.example.computer}: {reasonText(gap.example.reason)}
                  {gap.at === "starts" && gap.state === "broken" && ` ${neededText(gap.example.firmware)}`}
                </p>
              )}
              <p className="code mt-0.5 text-quiet">
                {gap.tags.map((tag, at) => (
                  <span key={tag}>
                    {at > 0 && ", "}
                    <Link prefetch={false} href={`/computers/${encodeURIComponent(tag)}`}>
                      {tag}
                    </Link>
                  </span>
                ))}
                {gap.count > gap.tags.length && (
                  <>
                    {" "}
                    <Link
                      prefetch={false}
                      href={`/computers${computersQuery({ filter: { best: gap.state, ...(gap.at ? { at: gap.at } : {}) } })}`}
                    >
                      and {(gap.count - gap.tags.length).toLocaleString("en-GB")} more
                    </Link>
                  </>
                )}
              </p>
            </div>
          </li>
        ))}
      </ul>
    </div>
  );
}

function gapText({ at, state, example }: Overview["gaps"][number]): string {
  if (at === null || state === "none") return "without any medium. Register one by dropping its file.";
  const firmware = at === "starts" && example ? ` with ${firmwareText(example.firmware)}` : "";
  return `${weakText(at, state)}${firmware}.`;
}

function Nothing({ steps, waiting }: { steps: FirstSteps; waiting: number }) {
  return (
    <section>
      <h1>{steps.site || steps.release || steps.medium ? "No computer recorded yet." : "Nothing recorded yet."}</h1>
      <p className="mt-1 max-w-3xl">
        Creel compares each computer's facts with what is really on each medium. Four steps lead to the first answer.
      </p>
      <Waiting count={waiting} />
      <FirstStepsList done={steps} />
    </section>
  );
}
