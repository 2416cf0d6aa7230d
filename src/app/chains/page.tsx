import type { Metadata } from "next";
import Link from "next/link";
import { verdictsOf } from "@/core/judging/routes/routes";
import { behindText, outcomeText } from "@/core/words/routes";
import type { Context } from "@/server/context";
import { type ChainsView, chainsView } from "@/server/fleet/chains";
import { getComputer } from "@/server/inventory/computers";
import { asKeyCard, keyCardOf } from "@/server/inventory/key-cards";
import { ChainHead, ChainLegend } from "@/ui/chain";
import { FilterForm } from "@/ui/filter-form";
import { Pages } from "@/ui/pages";
import { plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import type { SearchParams } from "../_lib/params";
import { keysOf, RouteReasons } from "../computers/[tag]/routes";
import { Matrix } from "./matrix";
import { type ChainsState, chainsQuery, chainsState } from "./state";

export const metadata: Metadata = { title: "Chains" };

const ROWS = 40;
const COLUMNS = 24;

/** Why no chain is shown, and the way on. */
function nothingText({ media, computers }: { media: number; computers: number }) {
  if (media === 0)
    return {
      ...{ why: "No medium recorded yet: nothing to judge computers against." },
      ...{ act: "Register a medium", href: "/media/new" },
    };
  if (computers === 0)
    return {
      ...{ why: "No computer recorded yet: nothing to judge media against." },
      ...{ act: "Import facts", href: "/computers/facts" },
    };
  return { why: "Nothing matches this filter.", act: "Show all", href: "/chains" };
}

export default async function Chains({ searchParams }: { searchParams: SearchParams }) {
  const [context, state] = await Promise.all([currentContext(), chainsState(searchParams)]);
  const href = (more: Partial<ChainsState>) => `/chains${chainsQuery({ ...state, ...more })}`;
  const isByRelease = state.against === "releases";
  const view = await chainsView(context, {
    filter: {
      ...(state.text ? { computers: state.text } : {}),
      ...(state.site ? { site: state.site } : {}),
      ...(state.release ? { media: state.release } : {}),
    },
    against: isByRelease ? "releases" : "media",
    rows: { from: (state.rowPage - 1) * ROWS, count: ROWS },
    columns: { from: (state.columnPage - 1) * COLUMNS, count: COLUMNS },
    opened: state.computer && state.medium ? { computer: state.computer, medium: state.medium } : null,
  });
  const nothing = nothingText(view);
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div className="max-w-[44rem]">
          <h1>Chains</h1>
          {view.rowGroups > 0 && <p className="text-quiet">{headline(view)}</p>}
        </div>
        <div className="flex gap-2">
          <Link prefetch={false} className="act" href="/drills">
            Drills
          </Link>
          <Link prefetch={false} className="act" href="/chains/signers">
            Signers
          </Link>
          <Link prefetch={false} className="act" href="/chains/rehearsals">
            What-if
          </Link>
          <a className="act" href={`/chains/export${chainsQuery(state)}`}>
            Export as CSV
          </a>
        </div>
      </header>
      <div className="mt-3 max-w-3xl">
        <FilterForm
          path="/chains"
          text={state.text}
          textLabel="Computer, model or site"
          selects={[
            { name: "site", label: "Site", value: state.site, choices: view.sites.map(asChoice) },
            { name: "release", label: "Release", value: state.release, choices: view.releases.map(asChoice) },
            {
              name: "against",
              label: "Columns",
              all: "Columns: media",
              value: isByRelease ? "releases" : undefined,
              choices: [{ value: "releases", text: "Columns: releases" }],
            },
          ]}
        />
      </div>
      <Opened context={context} view={view} state={state} close={href({ computer: undefined, medium: undefined })} />
      {view.rows.length === 0 || view.columns.length === 0 ? (
        <p className="mt-5">
          {nothing.why}{" "}
          <Link prefetch={false} className="link" href={nothing.href}>
            {nothing.act}
          </Link>
        </p>
      ) : (
        <>
          <div className="mt-4">
            <ChainLegend />
            <p className="caption">
              A cell shows the weakest link of the best route and its number. Open it for its reasons.
            </p>
          </div>
          <Matrix view={{ rows: view.rows, columns: view.columns, cells: view.cells }} state={state} />
        </>
      )}
      <Pages page={state.rowPage} total={view.rowGroups} rows={ROWS} href={(page) => href({ rowPage: page })} />
      {view.columnGroups > COLUMNS && (
        <p className="caption mt-2">
          Media, group by group:{" "}
          {Array.from({ length: Math.ceil(view.columnGroups / COLUMNS) }, (_, at) => (
            <Link
              key={String(at)}
              prefetch={false}
              className={at + 1 === state.columnPage ? "mr-2 font-bold" : "link mr-2"}
              href={href({ columnPage: at + 1 })}
            >
              {at + 1}
            </Link>
          ))}
        </p>
      )}
    </>
  );
}

const asChoice = (value: string) => ({ value, text: value });

/** How many computers have a route that holds, or none at all, in a sentence. */
function headline({ total, holding, lost }: ChainsView): string {
  return `${plural(total, "computer")}: ${holding.toLocaleString("en-GB")} with a whole chain that holds, ${lost === 0 ? "none with only broken chains" : `${lost.toLocaleString("en-GB")} with only broken chains`}. Worst first; alike rows are grouped.`;
}

/** The routes behind the cell that is opened. */
async function Opened({
  context,
  view,
  state,
  close,
}: {
  context: Context;
  view: ChainsView;
  state: ChainsState;
  close: string;
}) {
  const { opened } = view;
  if (!opened || !state.computer || !state.medium) return null;
  if (!opened.hasComputer || !opened.hasMedium)
    return (
      <p className="mt-4 border-line border-y py-3">
        {!opened.hasComputer
          ? `No computer ${state.computer} is in service.`
          : `No medium ${state.medium} is in service.`}{" "}
        <Link prefetch={false} className="link" href={close}>
          Close
        </Link>
      </p>
    );
  const { routes } = opened;
  const [best, ...others] = routes;
  const detail = await getComputer(context, state.computer);
  if (!best || !detail) return null;
  const card = asKeyCard(await keyCardOf(context, detail.row.make, detail.row.model));
  return (
    <section className="mt-4 border-line border-y py-3" aria-label={`${state.medium} on ${state.computer}`}>
      <div className="flex items-start justify-between gap-3">
        <h2>
          <span className="code">{state.medium}</span> on <span className="code">{state.computer}</span>
          {best.release && <span className="font-normal text-quiet"> · {best.release}</span>}
        </h2>
        <Link prefetch={false} className="act" href={close} scroll={false}>
          Close
        </Link>
      </div>
      <p className="my-2">
        Outcome: <strong>{outcomeText(best.outcome)}</strong>.
      </p>
      <ChainHead links={verdictsOf(best.links)} />
      <RouteReasons route={best} computerTag={state.computer} keys={keysOf(detail.facts, card)} />
      {others.length > 0 && (
        <ul className="mt-2 list-disc pl-5 text-quiet">
          {others.slice(0, 6).map((route, at) => {
            const before = routes[at];
            return (
              <li key={[route.release, route.outcome?.kind, route.outcome?.image?.id].join(" ")}>
                {outcomeText(route.outcome)}
                {route.release && `, with ${route.release}`}: {before && behindText(before, route)}
              </li>
            );
          })}
        </ul>
      )}
    </section>
  );
}
