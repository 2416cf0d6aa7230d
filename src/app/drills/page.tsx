import type { Metadata } from "next";
import Link from "next/link";
import { drillsOf } from "@/server/drills/drills";
import { plannedOf } from "@/server/drills/planned-drills";
import { dateText } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, type SearchParams } from "../_lib/params";
import { Planned } from "./planned";
import { RESULT_WORDS } from "./results";

export const metadata: Metadata = { title: "Drills" };

const HELD = 60;

/** Drills that are to be held, and those that were. */
export default async function Drills({ searchParams }: { searchParams: SearchParams }) {
  const [context, values] = await Promise.all([currentContext(), searchParams]);
  const [planned, held] = await Promise.all([plannedOf(context), drillsOf(context, "all", HELD)]);
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div className="max-w-[44rem]">
          <h1>Drills</h1>
          <p className="text-quiet">A start, or a restore, on the computer itself. Drills close the Proven link.</p>
        </div>
        <Link prefetch={false} className="act" href="/drills/new">
          Record a drill
        </Link>
      </header>
      <Planned planned={planned} medium={one(values.medium) ?? ""} computer={one(values.computer) ?? ""} />
      <section className="mt-6 max-w-3xl">
        <h2>Recent drills</h2>
        {held.length === 0 ? (
          <p className="text-quiet">No drill recorded.</p>
        ) : (
          <ul className="mt-2 divide-y divide-line border-line border-y">
            {held.map(({ id, medium, computer, on, result, note, isEmulated }) => (
              <li
                key={id}
                className="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-4 py-1.5 max-sm:[&>*:nth-child(3)]:col-span-2 sm:grid-cols-[12rem_8rem_minmax(0,1fr)]"
              >
                <Link prefetch={false} className="code font-bold" href={`/drills/${id}`}>
                  {medium} on {computer}
                </Link>
                <span className="text-quiet">{dateText(on)}</span>
                <span>
                  <span className={result === "failed" ? "font-semibold text-plum" : ""}>{RESULT_WORDS[result]}</span>
                  {isEmulated && <span className="text-quiet">, on an emulated computer</span>}
                  {note && <span className="text-quiet"> {note.slice(0, 200)}</span>}
                </span>
              </li>
            ))}
          </ul>
        )}
      </section>
    </>
  );
}
