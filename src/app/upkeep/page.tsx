import type { Metadata } from "next";
import Link from "next/link";
import { DUE_KINDS, type DueItem, type DueKind } from "@/core/upkeep/due";
import { consequenceText, dueKindTitle, dueReasonText, dueTitle } from "@/core/words/upkeep";
import { type DueView, dueView } from "@/server/upkeep/due";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, positive, type SearchParams } from "../_lib/params";
import { actOf } from "./due-acts";
import { UpkeepNav } from "./nav";
import { PutOff, TakeUp } from "./put-off";

export const metadata: Metadata = { title: "Due" };

/** Due, by consequence: why, what breaks if nothing is done and when, and what to do. */
export default async function Upkeep({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const kind = DUE_KINDS.find((each) => each === one(query.kind)) ?? null;
  const site = one(query.site) || null;
  const view = await dueView(context, { kind, site, page: positive(query.page) ?? 1 });
  const href = (more: { kind?: string | null; site?: string | null; page?: number }) => {
    const asked = { kind, site, ...more };
    const pairs = Object.entries(asked).flatMap(([key, value]) => (value ? [[key, String(value)]] : []));
    return `/upkeep?${new URLSearchParams(pairs)}`;
  };
  return (
    <>
      <UpkeepNav here="/upkeep" />
      <h1>{headline(view, { kind, site })}</h1>
      <div className="mt-3 grid gap-x-8 gap-y-4 lg:grid-cols-[13rem_minmax(0,1fr)]">
        <Choices view={view} kind={kind} site={site} href={href} />
        <div>
          {view.items.length === 0 && (
            <p className="text-quiet">
              {kind === null && site === null ? (
                "Tasks appear here sixty days before they break anything."
              ) : (
                <Link prefetch={false} className="link" href="/upkeep">
                  Show everything that is due
                </Link>
              )}
            </p>
          )}
          <ul data-list className="divide-y divide-line border-line border-y">
            {view.items.map((item) => (
              <li key={item.key} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-2">
                <Due item={item} today={view.today} />
                <div className="flex items-start gap-3">
                  <Link prefetch={false} className="link" href={actOf(item).href}>
                    {actOf(item).text}
                  </Link>
                  <PutOff dueKey={item.key} title={dueTitle(item)} />
                </div>
              </li>
            ))}
          </ul>
          {view.pages > 1 && (
            <p className="mt-2 flex gap-4">
              {view.page > 1 && (
                <Link prefetch={false} className="link" href={href({ page: view.page - 1 })}>
                  Previous
                </Link>
              )}
              <span className="text-quiet">
                Page {view.page} of {view.pages}
              </span>
              {view.page < view.pages && (
                <Link prefetch={false} className="link" href={href({ page: view.page + 1 })}>
                  Next
                </Link>
              )}
            </p>
          )}
          <PutOffList view={view} />
        </div>
      </div>
    </>
  );
}

/** What is due, of what is asked for: of a kind, at a site, or at all. */
function headline(
  { items, total, today, page }: DueView,
  { kind, site }: { kind: DueKind | null; site: string | null },
): string {
  const where = [kind && `under “${dueKindTitle(kind)}”`, site && `at ${site}`].filter(Boolean).join(" ");
  if (total === 0) return where ? `Nothing is due ${where}.` : "Nothing is due.";
  const [first] = page === 1 ? items : [];
  const soon = first && first.loses.count > 0 && first.breaksOn !== null && first.breaksOn > today;
  const all = `${plural(total, "thing")} ${total === 1 ? "is" : "are"} due`;
  return soon ? `${all}; the first breaks on ${dateText(first.breaksOn)}.` : `${all}.`;
}

function Due({ item, today }: { item: DueItem; today: string }) {
  const consequence = consequenceText(item, today);
  const isNow = item.loses.count > 0;
  return (
    <div>
      <p>
        <strong>{dueTitle(item)}</strong>
        {item.site && <span className="text-quiet"> at {item.site}</span>}
      </p>
      <p className="text-quiet">{dueReasonText(item.reason)}</p>
      {consequence && <p className={isNow ? "text-plum" : "text-quiet"}>{consequence}</p>}
    </div>
  );
}

function Choices({
  view,
  kind,
  site,
  href,
}: {
  view: DueView;
  kind: string | null;
  site: string | null;
  href: (more: { kind?: string | null; site?: string | null }) => string;
}) {
  const all = view.kinds.reduce((sum, { count }) => sum + count, 0);
  const line = (name: string, count: number, to: string, isHere: boolean) => (
    <li key={name} className="flex justify-between gap-2">
      <Link
        prefetch={false}
        scroll={false}
        href={to}
        aria-current={isHere ? "true" : undefined}
        className={isHere ? "font-bold no-underline" : "link"}
      >
        {name}
      </Link>
      <span className="text-quiet tabular-nums">{count.toLocaleString("en-GB")}</span>
    </li>
  );
  return (
    <nav aria-label="Show">
      <ul className="leading-7 max-lg:flex max-lg:flex-wrap max-lg:gap-x-4">
        {line("Everything", all, href({ kind: null }), kind === null)}
        {view.kinds.map((each) =>
          line(dueKindTitle(each.kind), each.count, href({ kind: each.kind }), kind === each.kind),
        )}
      </ul>
      {view.sites.length > 0 && (
        <ul className="mt-4 leading-7 max-lg:mt-2 max-lg:flex max-lg:flex-wrap max-lg:gap-x-4">
          {[null, ...view.sites].map((name) => (
            <li key={name ?? ""}>
              <Link
                prefetch={false}
                scroll={false}
                href={href({ site: name })}
                aria-current={site === name ? "true" : undefined}
                className={site === name ? "font-bold no-underline" : "link"}
              >
                {name ?? "All sites"}
              </Link>
            </li>
          ))}
        </ul>
      )}
    </nav>
  );
}

function PutOffList({ view: { putOff } }: { view: DueView }) {
  if (putOff.length === 0) return null;
  return (
    <section className="mt-6">
      <h2>Postponed</h2>
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {putOff.map(({ item, snooze }) => (
          <li key={item.key} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-1.5">
            <p>
              {dueTitle(item)}{" "}
              <span className="text-quiet">
                until {dateText(snooze.until)}, by {snooze.personName}: {snooze.why}
              </span>
            </p>
            <TakeUp id={snooze.id} title={dueTitle(item)} />
          </li>
        ))}
      </ul>
    </section>
  );
}
