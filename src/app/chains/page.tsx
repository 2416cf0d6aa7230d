import type { Metadata } from "next";
import Link from "next/link";
import type { ReleaseMatrix } from "@/core/fleet/by-release";
import { breakAt, outcomeOf, weakestVerdict } from "@/core/fleet/cell";
import type { MatrixGroup } from "@/core/fleet/groups";
import { verdictsOf } from "@/core/judging/routes/routes";
import { behindText, outcomeKindText, outcomeText, weakText } from "@/core/words/routes";
import type { Context } from "@/server/context";
import { type Fleet, fleet, groupByRelease, groupMatrix } from "@/server/fleet/fleet";
import { getComputer } from "@/server/inventory/computers";
import { asKeyCard, keyCardOf } from "@/server/inventory/key-cards";
import { ChainHead, ChainLink } from "@/ui/chain";
import { FilterForm } from "@/ui/filter-form";
import { Pages } from "@/ui/pages";
import { plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import type { SearchParams } from "../_lib/params";
import { keysOf, RouteReasons } from "../computers/[tag]/routes";
import { type ChainsState, chainsQuery, chainsState } from "./state";

export const metadata: Metadata = { title: "Chains" };

const ROWS = 40;
const COLUMNS = 24;

export default async function Chains({ searchParams }: { searchParams: SearchParams }) {
  const [context, state] = await Promise.all([currentContext(), chainsState(searchParams)]);
  const all = await fleet(context);
  const filter = {
    ...(state.text ? { computers: state.text } : {}),
    ...(state.site ? { site: state.site } : {}),
    ...(state.release ? { media: state.release } : {}),
  };
  const byRelease = state.against === "releases" ? groupByRelease(all, filter) : null;
  const groups = byRelease ?? groupMatrix(all, filter);
  const shown = byRelease ? columnsOfReleases(all, byRelease.by) : columnsOfMedia(all);
  const href = (more: Partial<ChainsState>) => `/chains${chainsQuery({ ...state, ...more })}`;
  const rows = groups.rows.slice((state.rowPage - 1) * ROWS, state.rowPage * ROWS);
  const columns = groups.columns.slice((state.columnPage - 1) * COLUMNS, state.columnPage * COLUMNS);
  const sites = [...new Set(all.computers.flatMap((computer) => computer.site ?? []))].sort();
  const releases = [...new Set(all.media.flatMap((medium) => medium.releases.map((each) => each.name)))].sort();
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div className="max-w-[44rem]">
          <h1>Chains</h1>
          {groups.rows.length > 0 && <p className="text-quiet">{headline(groups.rows)}</p>}
        </div>
        <div className="flex gap-2">
          <Link prefetch={false} className="act" href="/drills">
            Drills
          </Link>
          <Link prefetch={false} className="act" href="/chains/signers">
            Signers
          </Link>
          <Link prefetch={false} className="act" href="/chains/rehearsals">
            What if …
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
          textLabel="Computer, model or place"
          selects={[
            { name: "site", label: "Place", value: state.site, choices: sites.map(asChoice) },
            { name: "release", label: "Carrying", value: state.release, choices: releases.map(asChoice) },
            {
              name: "against",
              label: "Against",
              all: "Against: media",
              value: byRelease ? "releases" : undefined,
              choices: [{ value: "releases", text: "Against: releases" }],
            },
          ]}
        />
      </div>
      <Opened context={context} all={all} state={state} close={href({ computer: undefined, medium: undefined })} />
      {rows.length === 0 || columns.length === 0 ? (
        <p className="mt-5">
          {all.media.length === 0
            ? "No medium is recorded yet: there is nothing to judge computers against."
            : all.computers.length === 0
              ? "No computer is recorded yet: there is nothing to judge media against."
              : "Nothing in the inventory fits this filter."}
        </p>
      ) : (
        <Matrix all={all} shown={shown} rows={rows} columns={columns} state={state} href={href} />
      )}
      <Pages page={state.rowPage} total={groups.rows.length} rows={ROWS} href={(page) => href({ rowPage: page })} />
      {groups.columns.length > COLUMNS && (
        <p className="caption mt-2">
          Media, group by group:{" "}
          {Array.from({ length: Math.ceil(groups.columns.length / COLUMNS) }, (_, at) => (
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
function headline(rows: MatrixGroup[]): string {
  const count = (test: (group: MatrixGroup) => boolean) =>
    rows.filter(test).reduce((sum, group) => sum + group.members.length, 0);
  const total = count(() => true);
  const holding = count(({ weakest }) => weakest[0] > 0);
  const open = count(({ weakest }) => weakest[0] + weakest[1] + weakest[2] > 0);
  const lost = total - open;
  return `${plural(total, "computer")}: ${holding.toLocaleString("en-GB")} with a chain that holds to its end, ${lost === 0 ? "none with broken chains alone" : `${lost.toLocaleString("en-GB")} with broken chains alone`}. The worst come first; what is the same stands together.`;
}

/** What the columns are, and what stands in a cell. */
interface Columns {
  name: (column: number) => string;
  href: (column: number) => string;
  cell: (row: number, column: number) => number;
  /** The medium that a cell speaks of. */
  medium: (row: number, column: number) => string;
}

function columnsOfMedia({ matrix, media }: Fleet): Columns {
  const tag = (column: number) => media[column]?.part.tag ?? "";
  return {
    name: tag,
    href: (column) => `/media/${encodeURIComponent(tag(column))}`,
    cell: (row, column) => matrix.cell(row, column),
    medium: (_, column) => tag(column),
  };
}

function columnsOfReleases({ media }: Fleet, by: ReleaseMatrix): Columns {
  const name = (column: number) => by.releases[column] ?? "";
  const idOf = new Map(
    media.flatMap(({ releases, releaseIds }) =>
      releases.map((each, at): [string, number] => [each.name, releaseIds[at] as number]),
    ),
  );
  return {
    name,
    href: (column) => `/releases/${idOf.get(name(column)) ?? ""}`,
    cell: (row, column) => by.cell(row, column),
    medium: (row, column) => media[by.bestMedium(row, column)]?.part.tag ?? "",
  };
}

function Matrix({
  all: { computers },
  shown,
  rows,
  columns,
  state,
  href,
}: {
  all: Fleet;
  shown: Columns;
  rows: MatrixGroup[];
  columns: MatrixGroup[];
  state: ChainsState;
  href: (more: Partial<ChainsState>) => string;
}) {
  const tagOf = (group: MatrixGroup, of: (position: number) => string) => of(group.members[0] as number);
  const computerTag = (position: number) => computers[position]?.tag ?? "";
  return (
    <section className="mt-4 overflow-x-auto" aria-label={`Computers against ${state.against}`}>
      <table className="border-collapse text-[0.9rem]">
        <thead>
          <tr>
            <td className="caption pr-3 pb-1 align-bottom">Computers, worst first</td>
            {columns.map((group) => (
              <th key={tagOf(group, shown.name)} scope="col" className="px-1 pb-1 align-bottom font-normal">
                <Link
                  prefetch={false}
                  className="code inline-block py-1 no-underline [writing-mode:vertical-rl] hover:underline"
                  href={shown.href(group.members[0] as number)}
                  title={group.members.map(shown.name).slice(0, 40).join(", ")}
                >
                  {tagOf(group, shown.name)}
                  {group.members.length > 1 && ` +${group.members.length - 1}`}
                </Link>
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="divide-y divide-line border-line border-y">
          {rows.map((row) => {
            const tag = tagOf(row, computerTag);
            const computer = computers[row.members[0] as number];
            return (
              <tr key={tag} className={tag === state.computer ? "bg-rope-soft" : undefined}>
                <th scope="row" className="whitespace-nowrap py-0.5 pr-3 text-left font-normal">
                  <Link
                    prefetch={false}
                    className="code font-bold no-underline hover:underline"
                    href={`/computers/${encodeURIComponent(tag)}`}
                    title={row.members.map(computerTag).slice(0, 40).join(", ")}
                  >
                    {tag}
                  </Link>{" "}
                  <span className="text-quiet">
                    {row.members.length > 1
                      ? `and ${plural(row.members.length - 1, "more like it", "more like it")}`
                      : (computer?.name ?? "")}
                  </span>
                </th>
                {columns.map((column) => {
                  const [at, of] = [row.members[0] as number, column.members[0] as number];
                  const medium = shown.medium(at, of);
                  const cell = shown.cell(at, of);
                  const chosen = tag === state.computer && medium === state.medium;
                  return (
                    <td key={shown.name(of)} className="p-0 text-center">
                      <Link
                        prefetch={false}
                        scroll={false}
                        aria-current={chosen ? "true" : undefined}
                        className={`block px-1 py-1 no-underline hover:bg-sunk ${chosen ? "outline-2 outline-rope" : ""}`}
                        href={href({ computer: tag, medium })}
                      >
                        <CellGlyph cell={cell} tags={`${medium} on ${tag}`} />
                      </Link>
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="caption mt-2">
        A cell shows the weakest link of the best route and the letter of that link: H at hand, S starts, E sees, R
        restores, P proven. Open it for its reasons.
      </p>
    </section>
  );
}

/** Letters of the links, as the line under the matrix explains them. */
const LETTERS = { atHand: "H", starts: "S", sees: "E", restores: "R", proven: "P" } as const;

function CellGlyph({ cell, tags }: { cell: number; tags: string }) {
  const verdict = weakestVerdict(cell);
  const at = breakAt(cell);
  const kind = outcomeOf(cell);
  const label = `${tags}: ${weakText(at, verdict)}${kind ? `, ${outcomeKindText(kind)}` : ""}`;
  return (
    <span className="inline-flex items-center gap-0.5">
      <ChainLink verdict={verdict} height={13} label={label} />
      <span aria-hidden="true" className="w-[0.7em] font-mono text-[0.75rem] text-quiet">
        {at ? LETTERS[at] : ""}
      </span>
    </span>
  );
}

/** The routes behind the cell that is opened. */
async function Opened({
  context,
  all,
  state,
  close,
}: {
  context: Context;
  all: Fleet;
  state: ChainsState;
  close: string;
}) {
  if (!state.computer || !state.medium) return null;
  const row = all.computers.findIndex((computer) => computer.tag === state.computer);
  const column = all.media.findIndex((medium) => medium.part.tag === state.medium);
  if (row < 0 || column < 0)
    return (
      <p className="mt-4 border-line border-y py-3">
        {row < 0 ? `No computer ${state.computer} is in service.` : `No medium ${state.medium} is in service.`}{" "}
        <Link className="link" href={close}>
          Close
        </Link>
      </p>
    );
  const routes = all.matrix.routes(row, column);
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
        <Link className="act" href={close} scroll={false}>
          Close
        </Link>
      </div>
      <p className="my-2">
        Gives back: <strong>{outcomeText(best.outcome)}</strong>.
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
