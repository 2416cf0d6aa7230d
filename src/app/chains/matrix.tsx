"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import type { MouseEvent } from "react";
import { breakAt, outcomeOf, weakestVerdict } from "@/core/fleet/cell";
import { LINK_NAMES } from "@/core/judging/model/schema";
import { outcomeKindText, weakText } from "@/core/words/routes";
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
          <tr>
            <td className="caption pr-3 pb-1 align-bottom">Computers, worst first</td>
            {view.columns.map((column) => (
              <th key={column.tag} scope="col" className="px-1 pb-1 align-bottom font-normal">
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
          {view.rows.map(({ tag, name, count, tags }, at) => (
            <tr key={tag} className={tag === state.computer ? "bg-rope-soft" : undefined}>
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
                  <td key={view.columns[column]?.tag} className="p-0 text-center">
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
          ))}
        </tbody>
      </table>
    </section>
  );
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
