"use client";

import clsx from "clsx";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { Fragment, type MouseEvent } from "react";
import { breakAt, outcomeOf, weakestVerdict } from "@/core/fleet/cell";
import { LINK_NAMES } from "@/core/judging/model/schema";
import { bestTitle, outcomeKindText, weakText } from "@/core/words/routes";
import type { ChainsView } from "@/server/fleet/chains";
import { ChainLink } from "@/ui/chain";
import { plural } from "@/ui/words";
import { type ChainsState, chainsQuery } from "./state";

/** Computers against media or releases, a cell a link. What a page is handed of it are numbers, not what is drawn. */
export function Matrix({ view, state }: { view: Pick<ChainsView, "rows" | "columns" | "cells">; state: ChainsState }) {
  const router = useRouter();
  const href = (more: Partial<ChainsState>) => `/chains${chainsQuery({ ...state, ...more })}`;
  // One listener for all cells: each of them is a plain link.
  const open = (event: MouseEvent<HTMLElement>) => {
    const link = event.target instanceof Element ? event.target.closest("td > a") : null;
    const address = link?.getAttribute("href");
    if (!address || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
    event.preventDefault();
    router.push(address, { scroll: false });
  };
  const hrefOf = ({ tag, id }: ChainsView["columns"][number]) =>
    state.against === "releases" ? `/releases/${id ?? ""}` : `/media/${encodeURIComponent(tag)}`;
  return (
    <section className="mt-4 overflow-x-auto" aria-label={`Computers against ${state.against}`}>
      <table className="border-collapse text-[0.9rem]">
        <thead>
          {view.columns.some(({ family }) => family !== "") && (
            <tr>
              <td />
              {familiesOf(view.columns).map(({ family, columns }) => (
                <th
                  key={family}
                  scope="colgroup"
                  colSpan={columns}
                  className="max-h-40 border-line border-l px-1 align-bottom font-semibold"
                >
                  <span className="inline-block max-h-40 overflow-hidden whitespace-nowrap [writing-mode:vertical-rl]">
                    {family || "no release"}
                  </span>
                </th>
              ))}
            </tr>
          )}
          <tr>
            <td className="caption pr-3 pb-1 align-bottom">Computers, worst first</td>
            {view.columns.map((column, at) => (
              <th
                key={column.tag}
                scope="col"
                className={clsx(
                  "px-1 pb-1 align-bottom font-normal",
                  isFirst(view.columns, at) && "border-line border-l",
                )}
              >
                <Link
                  prefetch={false}
                  className="code inline-block py-1 no-underline [writing-mode:vertical-rl] hover:underline"
                  href={hrefOf(column)}
                  title={column.tags.join(", ")}
                >
                  {column.tag}
                  {column.count > 1 && ` +${column.count - 1}`}
                </Link>
              </th>
            ))}
          </tr>
        </thead>
        {/* biome-ignore lint/a11y/useKeyWithClickEvents: the links within are reached and opened by keys. */}
        <tbody className="divide-y divide-line border-line border-y" onClick={open}>
          {view.rows.map(({ tag, name, count, tags, best }, at) => (
            <Fragment key={tag}>
              {best !== view.rows[at - 1]?.best && (
                <tr>
                  <th
                    scope="rowgroup"
                    colSpan={1 + view.columns.length}
                    className="pt-3 pb-1 text-left font-semibold text-[0.95rem]"
                  >
                    {bestTitle(best)}
                  </th>
                </tr>
              )}
              <tr className={tag === state.computer ? "bg-rope-soft" : undefined}>
                <th scope="row" className="whitespace-nowrap py-0.5 pr-3 text-left font-normal">
                  <Link
                    prefetch={false}
                    className="code font-bold no-underline hover:underline"
                    href={`/computers/${encodeURIComponent(tag)}`}
                    title={tags.join(", ")}
                  >
                    {tag}
                  </Link>{" "}
                  <span className="text-quiet">
                    {count > 1 ? `and ${plural(count - 1, "more alike", "more alike")}` : (name ?? "")}
                  </span>
                </th>
                {view.cells[at]?.map(({ cell, medium }, column) => {
                  const chosen = tag === state.computer && medium === state.medium;
                  return (
                    <td
                      key={view.columns[column]?.tag}
                      className={clsx("p-0 text-center", isFirst(view.columns, column) && "border-line border-l")}
                    >
                      <a
                        aria-current={chosen ? "true" : undefined}
                        className={`block px-1 py-1 no-underline hover:bg-sunk ${chosen ? "outline-2 outline-rope" : ""}`}
                        href={href({ computer: tag, medium })}
                      >
                        <CellGlyph cell={cell} tags={`${medium} on ${tag}`} />
                      </a>
                    </td>
                  );
                })}
              </tr>
            </Fragment>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Columns of one family beside each other, with how many they are. */
function familiesOf(columns: ChainsView["columns"]): { family: string; columns: number }[] {
  const families: { family: string; columns: number }[] = [];
  for (const { family } of columns) {
    const last = families.at(-1);
    if (last?.family === family) last.columns++;
    else families.push({ family, columns: 1 });
  }
  return families;
}

function isFirst(columns: ChainsView["columns"], at: number): boolean {
  const family = columns[at]?.family ?? "";
  return family !== "" && family !== columns[at - 1]?.family;
}

function CellGlyph({ cell, tags }: { cell: number; tags: string }) {
  const verdict = weakestVerdict(cell);
  const at = breakAt(cell);
  const kind = outcomeOf(cell);
  const label = `${tags}: ${weakText(at, verdict)}${kind ? `, ${outcomeKindText(kind)}` : ""}`;
  return (
    <span className="inline-flex items-center gap-0.5">
      <ChainLink verdict={verdict} height={13} label={label} />
      <span aria-hidden="true" className="w-[0.7em] font-mono text-[0.75rem] text-quiet">
        {at ? LINK_NAMES.indexOf(at) + 1 : ""}
      </span>
    </span>
  );
}
