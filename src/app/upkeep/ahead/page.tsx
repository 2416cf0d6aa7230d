import clsx from "clsx";
import type { Metadata } from "next";
import Link from "next/link";
import { LACK_CAUSES, type LackCause } from "@/core/upkeep/causes";
import { aheadView } from "@/server/upkeep/ahead";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { UpkeepNav } from "../nav";
import { AheadChart, LinkChart } from "./ahead-chart";

export const metadata: Metadata = { title: "Forecast" };

/** Why computers lack something, by the link that decides. */
const CAUSES: Record<LackCause, string> = {
  atHand: "At hand: nothing near enough",
  starts: "Starts: nothing starts",
  sees: "Sees: disk not seen",
  restores: "Restores: nothing restores it",
  unproven: "Proven: no current drill",
  drill: "Proven: drill too old",
  verification: "Proven: verification too old",
  image: "Restores: image too old",
};

const DAY = /^\d{4}-\d{2}-\d{2}$/;

/** Cover for the next twelve months if nothing is done; a point leads to the computers that lack something then. */
export default async function Ahead({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const asked = one(query.day);
  const day = asked && DAY.test(asked) ? asked : null;
  const site = one(query.site) || null;
  const cause = LACK_CAUSES.find((each) => each === one(query.link)) ?? null;
  const view = await aheadView(context, { day, site, cause });
  const last = view.ahead.at(-1);
  const now = view.ahead[0]?.met ?? 0;
  const monthly = view.ahead.flatMap((point, at) => (at % 4 === 0 ? [{ ...point, at }] : []));
  const link = (on: string, place: string | null, of: LackCause | null = null) =>
    `/upkeep/ahead?${new URLSearchParams({ day: on, ...(place ? { site: place } : {}), ...(of ? { link: of } : {}) })}#lacking`;
  const hasPlan = view.bySite.some(({ planned }) => planned !== null);
  if (view.bySite.length === 0)
    return (
      <>
        <UpkeepNav here="/upkeep/ahead" />
        <h1>No computer is recorded yet.</h1>
        <p className="mt-3">
          <Link prefetch={false} className="act-main" href="/computers/facts">
            Import facts of a computer
          </Link>
        </p>
      </>
    );
  return (
    <>
      <UpkeepNav here="/upkeep/ahead" />
      <h1>
        {last && last.met < now
          ? `${site ? `At ${site}, if` : "If"} nothing is done, ${last.met} of ${plural(view.total, "computer")} meet their policy in a year; now ${now} do.`
          : `${site ? `At ${site} ` : ""}${now} of ${plural(view.total, "computer")} meet their policy, now and in a year.`}
      </h1>
      <p className="max-w-3xl text-quiet">
        Drills, verifications and images expire, each on its day. Dashed: with the accepted plan. Choose a point to see
        who misses their policy then.
      </p>
      {site && (
        <p>
          <Link prefetch={false} className="link" href="/upkeep/ahead">
            Everywhere
          </Link>
        </p>
      )}
      <div className={clsx("mt-4 grid gap-x-8 gap-y-5", view.byCause.length > 0 && "lg:grid-cols-2")}>
        <section className="min-w-0">
          <h2>Meet their policy</h2>
          <AheadChart view={view} site={site} />
        </section>
        {view.byCause.length > 0 && (
          <section className="min-w-0">
            <h2>Missing, by link</h2>
            <LinkChart view={view} site={site} titles={CAUSES} />
          </section>
        )}
      </div>
      <div className="mt-4 overflow-x-auto">
        <table className="w-full border-collapse text-[0.9rem]">
          <caption className="sr-only">Computers that meet their policy, by site, every four weeks</caption>
          <thead>
            <tr className="border-line border-b">
              <th className="pr-4 text-left font-semibold">Site</th>
              {monthly.map(({ on }) => (
                <th key={on} className="whitespace-nowrap px-1.5 py-1 text-right font-normal">
                  <Link prefetch={false} scroll={false} href={link(on, null)} title={dateText(on)}>
                    {on.slice(5)}
                  </Link>
                </th>
              ))}
              {hasPlan && <th className="px-1.5 py-1 text-right font-normal">planned</th>}
            </tr>
          </thead>
          <tbody>
            {view.bySite.map(({ site: place, total, met, planned }) => (
              <tr key={place ?? ""} className="border-line border-b">
                <th scope="row" className="whitespace-nowrap py-1 pr-4 text-left font-normal">
                  {place === null ? (
                    "No site recorded"
                  ) : (
                    <Link
                      prefetch={false}
                      className={place === site ? "font-bold" : "link"}
                      aria-current={place === site ? "true" : undefined}
                      href={`/upkeep/ahead?${new URLSearchParams({ site: place })}`}
                    >
                      {place}
                    </Link>
                  )}{" "}
                  <span className="text-quiet">of {total}</span>
                </th>
                {monthly.map(({ on, at }) => (
                  <td key={on} className="px-1.5 text-right tabular-nums">
                    <Link
                      prefetch={false}
                      scroll={false}
                      className="no-underline hover:underline"
                      href={link(on, place)}
                    >
                      {met[at]}
                    </Link>
                  </td>
                ))}
                {hasPlan && <td className="px-1.5 text-right tabular-nums">{planned ?? "–"}</td>}
              </tr>
            ))}
            {site === null && (
              <tr>
                <th scope="row" className="pr-4 text-left font-bold">
                  Everywhere
                </th>
                {monthly.map(({ on, met }) => (
                  <td key={on} className="px-1.5 text-right font-bold tabular-nums">
                    {met}
                  </td>
                ))}
                {hasPlan && <td className="px-1.5 text-right font-bold tabular-nums">{view.ahead.at(-1)?.planned}</td>}
              </tr>
            )}
            {view.byCause.length > 0 && (
              <tr className="border-line border-t">
                <th scope="row" className="pt-3 pr-4 text-left font-semibold">
                  Missing, by link{site && ` at ${site}`}
                </th>
              </tr>
            )}
            {view.byCause.map(({ cause: own, count }) => (
              <tr key={own} className="border-line border-t text-quiet">
                <th scope="row" className="whitespace-nowrap py-1 pr-4 text-left font-normal">
                  {CAUSES[own]}
                </th>
                {monthly.map(({ on, at }) => (
                  <td key={on} className="px-1.5 text-right tabular-nums">
                    <Link
                      prefetch={false}
                      scroll={false}
                      className="no-underline hover:underline"
                      href={link(on, site, own)}
                    >
                      {count[at]}
                    </Link>
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {view.chosen && (
        <section id="lacking" className="mt-6">
          <h2>
            On {dateText(view.chosen.on)} {plural(view.chosen.total, "computer")}
            {site ? ` at ${site}` : ""}
            {cause ? ` (${CAUSES[cause]})` : ""} {view.chosen.total === 1 ? "misses its policy" : "miss their policy"}
          </h2>
          <ul data-list className="mt-1 divide-y divide-line border-line border-y">
            {view.chosen.computers.map(({ tag, name, site: own, from, why }) => (
              <li
                key={tag}
                className="grid grid-cols-[7rem_12rem_8rem_minmax(0,1fr)] max-md:grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1"
              >
                <Link
                  prefetch={false}
                  data-item
                  className="code font-bold"
                  href={`/computers/${encodeURIComponent(tag)}`}
                >
                  {tag}
                </Link>
                <span>{name}</span>
                <span className="text-quiet">{own}</span>
                <span className="text-quiet">
                  {from === "" ? "misses it now" : `from ${dateText(from)}`}: {why}
                </span>
              </li>
            ))}
          </ul>
          {view.chosen.total > view.chosen.computers.length && (
            <p className="caption">and {view.chosen.total - view.chosen.computers.length} more</p>
          )}
        </section>
      )}
      <section className="mt-6 max-w-3xl">
        <h2>Stock</h2>
        <p>
          {plural(view.stock.spares, "blank spare")}; {view.stock.wanted} required.{" "}
          {view.stock.wornLastYear === 0
            ? "No medium was marked worn or “do not use” in the last year."
            : `${plural(view.stock.wornLastYear, "medium", "media")} ${view.stock.wornLastYear === 1 ? "was" : "were"} marked worn or “do not use” in the last year: ${
                view.stock.spares === 0
                  ? "nothing is there to replace the next."
                  : `spares last about ${view.stock.lastsMonths} months.`
              }`}
        </p>
      </section>
    </>
  );
}
