import type { Metadata } from "next";
import Link from "next/link";
import { askedText, outcomeText } from "@/core/words/accounts";
import { listAudit } from "@/server/accounts/audit";
import { Pages } from "@/ui/pages";
import { timeText, zoneText } from "@/ui/words";
import { contextOf } from "../_lib/context";
import type { SearchParams } from "../_lib/params";
import { OfPeople } from "../people/nav";
import { auditHref, auditState } from "./state";

export const metadata: Metadata = { title: "Audit" };

const ROWS = 50;

export default async function Audit({ searchParams }: { searchParams: SearchParams }) {
  const [context, { filter, page }] = await Promise.all([contextOf("administrator"), auditState(searchParams)]);
  const { rows, total } = await listAudit(context, filter, { page, rows: ROWS });
  return (
    <div className="max-w-5xl">
      <OfPeople here="/audit" />
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div className="max-w-[44rem]">
          <h1>Audit</h1>
          <p className="text-quiet">
            Who asked Creel for what, from where, and what came of it: sign-ins, every act, exports, and what was
            refused. Creel only adds to it.
          </p>
        </div>
        <a className="act" href={auditHref(filter, 1, "/audit/export")}>
          Export as CSV
        </a>
      </header>
      <form action="/audit" className="mt-4 flex flex-wrap items-end gap-4">
        <label className="grow">
          <span className="block font-semibold text-[0.9rem]">Person, act, address</span>
          <input className="field" type="search" name="q" defaultValue={filter.text} />
        </label>
        <label className="flex items-center gap-2 pb-2">
          <input type="checkbox" name="refused" value="1" defaultChecked={filter.isRefused} />
          Refused only
        </label>
        <button type="submit" className="act">
          Filter
        </button>
      </form>
      {rows.length === 0 ? (
        <p className="mt-5">
          Nothing matches.{" "}
          <Link prefetch={false} className="link" href="/audit">
            Show everything
          </Link>
        </p>
      ) : (
        <div className="overflow-x-auto">
          <table className="mt-4 w-full text-left">
            <thead className="caption">
              <tr>
                <th className="py-1 pr-4 font-normal">When, {zoneText()}</th>
                <th className="py-1 pr-4 font-normal">Who</th>
                <th className="py-1 pr-4 font-normal">From</th>
                <th className="py-1 pr-4 font-normal">Asked for</th>
                <th className="py-1 font-normal">Result</th>
              </tr>
            </thead>
            <tbody className="divide-y divide-line border-line border-y">
              {rows.map(({ id, at, personName, origin, act, outcome }) => (
                <tr key={id}>
                  <td className="whitespace-nowrap py-1 pr-4">{timeText(at)}</td>
                  <td className="py-1 pr-4">{personName ?? <span className="text-quiet">not signed in</span>}</td>
                  <td className="code py-1 pr-4">{origin ?? "–"}</td>
                  <td className="py-1 pr-4">{askedText(act)}</td>
                  <td className={outcome === "done" ? "py-1 text-quiet" : "py-1 text-plum"}>{outcomeText(outcome)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <Pages page={page} total={total} rows={ROWS} href={(at) => auditHref(filter, at)} />
    </div>
  );
}
