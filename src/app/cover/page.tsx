import type { Metadata } from "next";
import Link from "next/link";
import { NEEDS, type Need } from "@/core/cover/policy";
import { NEED_HEADS, needAct, needTitle } from "@/core/words/policy";
import { type CoverView, coverView } from "@/server/cover/view";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, positive, type SearchParams } from "../_lib/params";
import { UpkeepNav } from "../upkeep/nav";

export const metadata: Metadata = { title: "Cover" };

/** What the computers have of what their policy asks for, by place; a count leads to whom it counts. */
export default async function Cover({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const site = one(query.site) ?? null;
  const asked = one(query.need);
  const need = NEEDS.find((each) => each === asked) ?? null;
  const view = await coverView(context, { site, need, page: positive(query.page) ?? 1 });
  return (
    <>
      <UpkeepNav here="/cover" />
      <h1>{headline(view)}</h1>
      <p className="mt-1 max-w-3xl text-quiet">
        A medium qualifies for a computer if it is near enough, starts on it, sees its disk, restores what is required,
        and is proven, all{" "}
        <Link prefetch={false} className="link" href="/policy">
          as its policy requires
        </Link>
        .{view.travelUnknown && " Travel times not recorded: only media at the same site qualify."}
      </p>
      {view.total > 0 && <PlaceTable view={view} site={site} need={need} />}
      {(site !== null || need !== null) && <Lacking view={view} site={site} need={need} />}
      {view.total === 0 && (
        <p className="mt-3">
          <Link prefetch={false} className="act-main" href="/computers/facts">
            Import facts of a computer
          </Link>
        </p>
      )}
      {view.total > 0 && (
        <p className="mt-5">
          <Link prefetch={false} className="act-main" href="/cover/plans/new">
            Plan least-cost cover
          </Link>
        </p>
      )}
    </>
  );
}

function headline({ total, met }: CoverView): string {
  if (total === 0) return "No computer is recorded yet.";
  if (met === total) return `Each of ${plural(total, "computer")} meets its policy.`;
  return `${plural(total - met, "computer")} of ${total.toLocaleString("en-GB")} ${total - met === 1 ? "misses its" : "miss their"} policy.`;
}

const link = (site: string | null, need: Need | null) => {
  const query = new URLSearchParams({ ...(site === null ? {} : { site }), ...(need === null ? {} : { need }) });
  return `/cover?${query}`;
};

function PlaceTable({ view, site, need }: { view: CoverView; site: string | null; need: Need | null }) {
  return (
    <div className="mt-4 overflow-x-auto">
      <table className="border-collapse">
        <caption className="sr-only">Computers that miss their policy, by site</caption>
        <thead>
          <tr className="border-line border-b text-left align-bottom">
            <th className="py-1.5 pr-6 font-semibold">Site</th>
            <th className="px-3 py-1.5 text-right font-semibold">Computers</th>
            <th className="px-3 py-1.5 text-right font-semibold">Miss their policy</th>
            {view.needs.map((each) => (
              <th key={each} className="px-3 py-1.5 text-right font-normal">
                {NEED_HEADS[each]}
              </th>
            ))}
            <th className="px-3 py-1.5 text-right font-normal">Spares</th>
          </tr>
        </thead>
        <tbody>
          {view.places.map((place) => (
            <tr key={place.name ?? ""} className="border-line border-b">
              <th scope="row" className="py-1.5 pr-6 text-left font-semibold">
                {place.name ?? "No site recorded"}
              </th>
              <td className="px-3 text-right tabular-nums">{place.total.toLocaleString("en-GB")}</td>
              <Count
                count={place.lacking}
                href={link(place.name ?? "", null)}
                isHere={site === (place.name ?? "") && !need}
              />
              {view.needs.map((each) => (
                <Count
                  key={each}
                  count={place.byNeed[each] ?? 0}
                  href={link(place.name ?? "", each)}
                  isHere={site === (place.name ?? "") && need === each}
                />
              ))}
              <td
                className={`px-3 text-right tabular-nums ${place.spares < place.sparesWanted ? "font-bold text-plum" : ""}`}
              >
                {place.name === null ? "" : `${place.spares} of ${place.sparesWanted}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Count({ count, href, isHere }: { count: number; href: string; isHere: boolean }) {
  return (
    <td className={`px-3 text-right tabular-nums ${isHere ? "bg-rope-soft" : ""}`}>
      {count === 0 ? (
        <span className="text-quiet">–</span>
      ) : (
        <Link prefetch={false} className="font-bold text-plum" aria-current={isHere ? "page" : undefined} href={href}>
          {count.toLocaleString("en-GB")}
        </Link>
      )}
    </td>
  );
}

function Lacking({ view, site, need }: { view: CoverView; site: string | null; need: Need | null }) {
  const { lacking, lackingTotal, page, pages } = view;
  const at = site === null ? "" : site === "" ? " without a site" : ` at ${site}`;
  return (
    <section className="mt-6 max-w-4xl">
      <h2>
        {plural(lackingTotal, "computer")}
        {at} {lackingTotal === 1 ? "lacks" : "lack"} {need ? `a route to ${needAct(need)}` : "something"}
      </h2>
      <ul data-list className="mt-2 divide-y divide-line border-line border-y">
        {lacking.map(({ tag, name, needs }) => (
          <li
            key={tag}
            className="grid grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1.5 max-sm:[&>*:nth-child(3)]:col-span-2 sm:grid-cols-[7rem_12rem_minmax(0,1fr)]"
          >
            <Link prefetch={false} data-item className="code font-bold" href={`/computers/${encodeURIComponent(tag)}`}>
              {tag}
            </Link>
            <span>{name}</span>
            <span className="text-quiet">
              {needs.map((each) => (
                <span key={each.need} className="block">
                  {needTitle(each.need)}: {each.have.length === 0 ? "none" : each.have.join(", ")} of {each.wanted}
                  {each.unproven.length > 0 &&
                    `; ${each.unproven.slice(0, 4).join(", ")} qualifies once ${each.unproven.length === 1 ? "it is" : "they are"} proven`}
                  {each.oldImage && `; its newest image, of ${dateText(each.oldImage)}, is too old`}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
      {pages > 1 && (
        <p className="mt-2 flex gap-4">
          {page > 1 && (
            <Link prefetch={false} className="link" href={`${link(site, need)}&page=${page - 1}`}>
              Earlier
            </Link>
          )}
          <span className="text-quiet">
            Page {page} of {pages}
          </span>
          {page < pages && (
            <Link prefetch={false} className="link" href={`${link(site, need)}&page=${page + 1}`}>
              Later
            </Link>
          )}
        </p>
      )}
    </section>
  );
}
