import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { RetireButton } from "@/app/_parts/retire-button";
import { getComputer } from "@/server/services/computers";
import { history } from "@/server/services/events";
import { routesOf } from "@/server/services/routes";
import { EventLine } from "@/ui/event-line";
import { Station } from "@/ui/station";
import { currentContext } from "../../_lib/context";
import { listState, type SearchParams } from "../../_lib/params";
import { retireComputerAction } from "../actions";
import { ComputerList } from "../list";
import { Disks, Facts } from "./facts";
import { Routes } from "./routes";

interface Props {
  params: Promise<{ tag: string }>;
  searchParams: SearchParams;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: decodeURIComponent((await params).tag) };
}

export default async function Computer({ params, searchParams }: Props) {
  const [context, state, { tag }] = await Promise.all([currentContext(), listState(searchParams), params]);
  const detail = await getComputer(context, decodeURIComponent(tag));
  if (!detail) notFound();
  const { row, facts } = detail;
  const [routes, events] = await Promise.all([routesOf(context, detail), history(context, "computer", row.id, 12)]);
  return (
    <Station
      chosen
      list={<ComputerList context={context} state={state} chosen={row.tag} />}
      detail={
        <article>
          <header className="flex flex-wrap items-start justify-between gap-3">
            <div>
              <h1>
                <span className="code">{row.tag}</span> {row.name}
              </h1>
              <p className="text-quiet">
                {[
                  detail.siteName ?? "no place recorded",
                  [row.make, row.model].filter(Boolean).join(" ") || "make and model not recorded",
                  row.form,
                ]
                  .filter(Boolean)
                  .join(" · ")}
                {row.retiredAt && " · retired"}
              </p>
            </div>
            <div className="flex gap-2">
              <Link prefetch={false} className="act" href={`/computers/${encodeURIComponent(row.tag)}/edit`}>
                Edit facts
              </Link>
              <RetireButton
                retired={row.retiredAt !== null}
                onChange={retireComputerAction.bind(null, row.id, row.version)}
              />
            </div>
          </header>
          <Routes routes={routes} computerTag={row.tag} firmware={facts.firmware} />
          <Facts facts={facts} note={row.note} />
          <Disks facts={facts} />
          <section className="mt-6">
            <h2>History</h2>
            <ul className="mt-2 space-y-2">
              {events.map((event) => (
                <EventLine key={event.id} event={event} withTag={false} />
              ))}
            </ul>
          </section>
        </article>
      }
    />
  );
}
