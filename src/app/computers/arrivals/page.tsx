import type { Metadata } from "next";
import Link from "next/link";
import { likenessText, sideBySide } from "@/core/words/reports";
import { isEnough } from "@/server/accounts/roles";
import { ARRIVALS_ON_PAGE, type ArrivalItem, listArrivals } from "@/server/arrivals/arrivals";
import { listSites } from "@/server/inventory/sites";
import { Pages } from "@/ui/pages";
import { plural, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, positive, type SearchParams } from "../../_lib/params";
import { ActButton } from "../../_parts/act-button";
import { KeepCurrent } from "../../_parts/keep-current";
import { ComputersNav } from "../nav";
import { recallArrivalAction } from "./actions";
import { ArrivalsBench, type WaitingComputer } from "./arrivals-bench";

export const metadata: Metadata = { title: "Arrivals" };

function titleOf({ row: { make, model, identity } }: ArrivalItem): string {
  const told = [make, model].filter(Boolean).join(" ");
  if (told) return told;
  const by = identity.addresses[0] ?? identity.uuid ?? identity.disks[0];
  return by ? `Computer with ${by}` : "Computer without a name";
}

function reportsText({ row }: ArrivalItem): string {
  return `${plural(row.reports, "report")}, last ${zonedTimeText(row.lastAt)}${row.origin ? ` from ${row.origin}` : ""}`;
}

const waitingOf = (item: ArrivalItem): WaitingComputer => ({
  ...{ id: item.row.id, title: titleOf(item), serial: item.row.serial, tag: item.row.tag, system: item.row.system },
  ...{ siteId: item.row.siteId, site: item.site, told: reportsText(item) },
  doubles: item.doubles.map(({ tag, name, site, likeness, identity, written }) => ({
    ...{ tag, name, site, text: likenessText(likeness) },
    facts: sideBySide(item.row.identity, identity, [
      ...written,
      ...[item.row.make, item.row.serial].flatMap((text) => text ?? []),
    ]),
  })),
});

export default async function Arrivals({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const state = one(query.state) === "dismissed" ? "dismissed" : "waiting";
  const siteId = positive(query.site) ?? null;
  const asked = { state, siteId, page: positive(query.page) ?? 1 } as const;
  const [view, sites] = await Promise.all([listArrivals(context, asked), listSites(context)]);
  const mayDecide = isEnough(context.account.role, "technician");
  const href = (page: number) => `/computers/arrivals?${new URLSearchParams({ state, page: String(page) })}`;
  return (
    <>
      <ComputersNav here="/computers/arrivals" />
      <KeepCurrent mark="reports" />
      <h1>{state === "waiting" ? "Arrivals" : "Not ours"}</h1>
      <p className="mt-1 max-w-3xl text-quiet">
        {state === "waiting"
          ? "Reported computers that are not recorded, or may match one that is."
          : "Reporting computers that were marked as not ours. They stay out of Arrivals."}{" "}
        <Link
          prefetch={false}
          className="link"
          href={state === "waiting" ? "/computers/arrivals?state=dismissed" : "/computers/arrivals"}
        >
          {state === "waiting" ? "Not ours" : "Arrivals"}
        </Link>
      </p>
      {view.total === 0 && (
        <p className="mt-4">
          {state === "waiting" ? (
            <>
              No arrivals.{" "}
              <Link prefetch={false} className="link" href="/computers/collect">
                Collect facts
              </Link>{" "}
              makes a link by which computers report.
            </>
          ) : (
            "None."
          )}
        </p>
      )}
      {state === "waiting" && mayDecide && (
        <ArrivalsBench items={view.items.map(waitingOf)} sites={sites.map(({ id, name }) => ({ id, name }))} />
      )}
      {view.total > 0 && !(state === "waiting" && mayDecide) && (
        <ul className="mt-3 divide-y divide-line border-line border-y">
          {view.items.map((item) => (
            <li key={item.row.id} className="flex flex-wrap items-baseline justify-between gap-x-4 py-2">
              <span>
                <strong>{titleOf(item)}</strong> {item.row.serial && <span className="code">{item.row.serial}</span>}
                <span className="text-[0.9rem] text-quiet"> {reportsText(item)}</span>
              </span>
              {state === "dismissed" && mayDecide && (
                <ActButton
                  text="Return to Arrivals"
                  label={`Return to Arrivals: ${titleOf(item)}`}
                  act={recallArrivalAction.bind(null, item.row.id)}
                />
              )}
            </li>
          ))}
        </ul>
      )}
      <Pages page={view.page} total={view.total} rows={ARRIVALS_ON_PAGE} href={href} />
    </>
  );
}
