"use client";

import clsx from "clsx";
import { ChevronDown, ChevronUp } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { type KeyboardEvent, useRef, useState } from "react";
import type { ComputerFilter } from "@/server/computers/computer-list";
import { plural } from "@/ui/words";
import { BulkPanel } from "./bulk-panel";
import type { ColumnKey } from "./columns";

export interface TableRow {
  id: number;
  tag: string;
  href: string;
  cells: { key: ColumnKey; content: React.ReactNode; title?: string }[];
}

export interface TableHead {
  key: ColumnKey | "tag";
  title: string;
  /** The address that sorts by it; null: it cannot be sorted by. */
  href: string | null;
  sorted: "up" | "down" | null;
  numeric?: boolean;
}

/** The table of computers: arrows move, x marks, Enter opens; what is marked can be changed together. */
export function ComputerTable({
  head,
  rows,
  total,
  filter,
  sites,
}: {
  head: TableHead[];
  rows: TableRow[];
  total: number;
  filter: ComputerFilter;
  sites: { id: number; name: string }[];
}) {
  const router = useRouter();
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const [everything, setEverything] = useState(false);
  const [changing, setChanging] = useState(false);
  const last = useRef<number | null>(null);
  const onPage = rows.filter((row) => marked.has(row.id)).length;

  const mark = (index: number, through: boolean) => {
    const next = new Set(marked);
    const on = !marked.has((rows[index] as TableRow).id);
    const from = through && last.current !== null ? Math.min(last.current, index) : index;
    const to = through && last.current !== null ? Math.max(last.current, index) : index;
    for (const row of rows.slice(from, to + 1)) on ? next.add(row.id) : next.delete(row.id);
    last.current = index;
    setEverything(false);
    setMarked(next);
  };
  const markPage = () => {
    const next = new Set(marked);
    for (const row of rows) onPage === rows.length ? next.delete(row.id) : next.add(row.id);
    setEverything(false);
    setMarked(next);
  };
  const onKey = (event: KeyboardEvent, index: number) => {
    if (event.key !== "x" && event.key !== "X") return;
    event.preventDefault();
    mark(index, event.shiftKey);
  };
  const done = () => {
    setMarked(new Set());
    setEverything(false);
    setChanging(false);
    router.refresh();
  };

  return (
    <>
      {marked.size > 0 && (
        <div className="sticky top-0 z-10 mt-3 border border-rope bg-rope-soft px-3 py-2">
          <div className="flex flex-wrap items-center gap-3">
            <strong>
              {everything ? `All ${plural(total, "computer")} found` : plural(marked.size, "computer")} marked
            </strong>
            {!everything && onPage === rows.length && total > rows.length && (
              <button type="button" className="link min-h-[24px]" onClick={() => setEverything(true)}>
                Select all {total.toLocaleString("en-GB")} matching the filter
              </button>
            )}
            <button type="button" className="act-main" onClick={() => setChanging(true)}>
              Edit selected
            </button>
            {!everything && (
              <Link prefetch={false} className="act" href={`/bench/make?ids=${[...marked].slice(0, 500).join(",")}`}>
                Suggest a medium for {marked.size === 1 ? "it" : "them"}
              </Link>
            )}
            <button type="button" className="act" onClick={() => setMarked(new Set())}>
              Clear selection
            </button>
          </div>
          {changing && (
            <BulkPanel
              selection={everything ? { filter } : { ids: [...marked] }}
              sites={sites}
              onDone={done}
              onLeave={() => setChanging(false)}
            />
          )}
        </div>
      )}
      <div className="mt-3 overflow-x-auto">
        <table className="w-full border-collapse" data-list>
          <thead>
            <tr className="border-line border-b text-left">
              <th className="w-8 py-1.5 pr-2 max-sm:hidden">
                <input
                  type="checkbox"
                  className="size-[18px] accent-[var(--rope)]"
                  aria-label="Select all on this page"
                  checked={rows.length > 0 && onPage === rows.length}
                  onChange={markPage}
                />
              </th>
              {head.map(({ key, title, href, sorted, numeric }) => (
                <th
                  key={key}
                  scope="col"
                  aria-sort={sorted === "up" ? "ascending" : sorted === "down" ? "descending" : undefined}
                  className={clsx("whitespace-nowrap py-1.5 pr-4 font-semibold max-sm:hidden", numeric && "text-right")}
                >
                  {href ? (
                    <Link
                      prefetch={false}
                      href={href}
                      scroll={false}
                      className="inline-flex min-h-[24px] items-center gap-1 no-underline hover:underline"
                    >
                      {title}
                      {sorted === "up" && <ChevronUp size={14} aria-hidden />}
                      {sorted === "down" && <ChevronDown size={14} aria-hidden />}
                    </Link>
                  ) : (
                    title
                  )}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, index) => (
              <tr
                key={row.id}
                className={clsx(
                  "border-line border-b hover:bg-sunk max-sm:grid max-sm:grid-cols-[1.8rem_5.5rem_minmax(0,1fr)] max-sm:py-1",
                  marked.has(row.id) && "bg-rope-soft",
                )}
              >
                <td className="py-1 pr-2">
                  <input
                    type="checkbox"
                    className="size-[18px] accent-[var(--rope)]"
                    aria-label={`Mark ${row.tag}`}
                    checked={marked.has(row.id)}
                    onChange={() => mark(index, false)}
                  />
                </td>
                <th scope="row" className="whitespace-nowrap py-1 pr-4 text-left">
                  <Link
                    data-item
                    prefetch={false}
                    href={row.href}
                    className="code font-bold"
                    onKeyDown={(event) => onKey(event, index)}
                  >
                    {row.tag}
                  </Link>
                </th>
                {row.cells.map(({ key, content, title }, at) => (
                  <td
                    key={key}
                    title={title}
                    className={clsx(
                      "max-w-56 truncate py-1 pr-4 max-sm:col-start-3 max-sm:max-w-none max-sm:py-0 max-sm:pr-0 max-sm:text-left!",
                      // A narrow screen lists what a computer is told by; the rest is on its page.
                      at >= 3 && "max-sm:hidden",
                      head.find((each) => each.key === key)?.numeric && "text-right tabular-nums",
                    )}
                  >
                    {content}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
