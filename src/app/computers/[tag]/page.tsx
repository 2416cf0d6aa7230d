import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { OUTCOMES, type Outcome } from "@/core/computer/needs/needs";
import { summariseSecureBoot } from "@/core/computer/secure-boot/lists";
import type { Context } from "@/server/context";
import { routesOf } from "@/server/fleet/routes";
import { pciNames } from "@/server/host/hardware-names";
import { storedRatioOf } from "@/server/images/image-plans";
import { listCalendars, supportOf } from "@/server/inventory/calendars";
import { type ComputerDetail, getComputer } from "@/server/inventory/computers";
import { history } from "@/server/inventory/events";
import { asKeyCard, keyCardOf } from "@/server/inventory/key-cards";
import { listSites } from "@/server/inventory/sites";
import { Station } from "@/ui/station";
import { Parts } from "@/ui/ways";
import { currentContext } from "../../_lib/context";
import { one, positive, type SearchParams } from "../../_lib/params";
import { ComputerList } from "../list";
import { ComputersNav } from "../nav";
import { computersQuery, computersState } from "../state";
import { Acts } from "./acts";
import { Disks } from "./disks";
import { FactsView } from "./facts";
import { NeedsView } from "./needs";
import { PolicyView } from "./policy";
import { Prompts } from "./prompts";
import { Routes } from "./routes";
import { Timeline } from "./timeline";

interface Props {
  params: Promise<{ tag: string }>;
  searchParams: SearchParams;
}

const VIEWS = {
  ...{ routes: "Routes", facts: "Facts", disks: "Disks", needs: "Medium requirements" },
  ...{ policy: "Policy", history: "History" },
} as const;
type View = keyof typeof VIEWS;

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: decodeURIComponent((await params).tag) };
}

export default async function Computer({ params, searchParams }: Props) {
  const [context, state, { tag }, values] = await Promise.all([
    currentContext(),
    computersState(searchParams),
    params,
    searchParams,
  ]);
  const [detail, sites] = await Promise.all([getComputer(context, decodeURIComponent(tag)), listSites(context)]);
  if (!detail) notFound();
  const { row, facts } = detail;
  const view = (Object.keys(VIEWS) as View[]).find((each) => each === one(values.show)) ?? "routes";
  const base = `/computers/${encodeURIComponent(row.tag)}`;
  const href = (show: View, more: Record<string, string> = {}) => {
    const query = new URLSearchParams(computersQuery(state));
    if (show !== "routes") query.set("show", show);
    for (const [name, value] of Object.entries(more)) query.set(name, value);
    return query.size > 0 ? `${base}?${query}` : base;
  };
  return (
    <>
      <ComputersNav here="/computers" />
      <Station
        chosen
        list={<ComputerList context={context} state={state} chosen={row.tag} show={view === "routes" ? null : view} />}
        detail={
          <article>
            <header className="flex flex-wrap items-start justify-between gap-3">
              <div>
                <h1>
                  <span className="code">{row.tag}</span> {row.name}
                </h1>
                <p className="text-quiet">
                  {[
                    detail.siteName ?? "no site recorded",
                    [row.make, row.model].filter(Boolean).join(" ") || "make and model not recorded",
                    row.form,
                  ]
                    .filter(Boolean)
                    .join(" · ")}
                  {row.retiredAt && " · retired"}
                </p>
              </div>
              <div className="flex flex-wrap items-start gap-2">
                <Link prefetch={false} className="act" href={`/computers/facts?to=${encodeURIComponent(row.tag)}`}>
                  Import facts
                </Link>
                <Link
                  prefetch={false}
                  className="act"
                  href={`/computers/collect?computer=${encodeURIComponent(row.tag)}`}
                >
                  Collect facts
                </Link>
                <Link prefetch={false} className="act" href={`${base}/edit`}>
                  Edit facts
                </Link>
                <Acts
                  key={row.version}
                  computer={{
                    id: row.id,
                    version: row.version,
                    tag: row.tag,
                    siteId: row.siteId,
                    retired: row.retiredAt !== null,
                  }}
                  disks={(facts.disks ?? []).map(({ name, bytes, serial, bus }) => ({ name, bytes, serial, bus }))}
                  sites={sites.map(({ id, name }) => ({ id, name }))}
                />
              </div>
            </header>
            <Parts
              label="About this computer"
              parts={(Object.entries(VIEWS) as [View, string][]).map(([key, name]) => ({ href: href(key), name }))}
              here={href(view)}
            />
            <Content context={context} detail={detail} view={view} values={values} href={href} sites={sites} />
          </article>
        }
      />
    </>
  );
}

const EVENTS_SHOWN = 20;

async function Content({
  context,
  detail,
  view,
  values,
  href,
  sites,
}: {
  context: Context;
  detail: ComputerDetail;
  view: View;
  values: Awaited<SearchParams>;
  href: (show: View, more?: Record<string, string>) => string;
  sites: { id: number; name: string }[];
}) {
  const { row, facts, provenance } = detail;
  switch (view) {
    case "routes": {
      const [routes, card] = await Promise.all([routesOf(context, detail), keyCardOf(context, row.make, row.model)]);
      return (
        <>
          <Prompts context={context} detail={detail} />
          <Routes routes={routes} computerTag={row.tag} facts={facts} card={asKeyCard(card)} />
        </>
      );
    }
    case "facts": {
      const today = context.now().toISOString();
      const [lists, card, names, calendars] = await Promise.all([
        summariseSecureBoot(facts.firmware),
        keyCardOf(context, row.make, row.model),
        pciNames(),
        listCalendars(context),
      ]);
      return (
        <FactsView
          facts={facts}
          provenance={provenance}
          note={row.note}
          lists={lists}
          card={asKeyCard(card)}
          names={names}
          supports={(facts.systems ?? []).map((system) => supportOf(calendars, system, today.slice(0, 10)))}
          today={today}
        />
      );
    }
    case "disks":
      return <Disks facts={facts} computer={{ id: row.id, version: row.version }} />;
    case "needs": {
      const outcome = OUTCOMES.find((each) => each === one(values.outcome)) ?? "image";
      const [lists, names, stored] = await Promise.all([
        summariseSecureBoot(facts.firmware),
        pciNames(),
        storedRatioOf(context, row.id, facts),
      ]);
      return (
        <NeedsView
          facts={facts}
          stored={stored}
          lists={lists}
          names={names}
          outcome={outcome}
          href={(wanted: Outcome) => href("needs", wanted === "image" ? {} : { outcome: wanted })}
        />
      );
    }
    case "policy":
      return <PolicyView context={context} tag={row.tag} />;
    case "history": {
      const shown = Math.min(1000, positive(values.events) ?? EVENTS_SHOWN);
      const events = await history(context, "computer", row.id, shown + 1);
      return (
        <Timeline
          events={events.slice(0, shown)}
          sites={new Map(sites.map((site) => [site.id, site.name]))}
          more={events.length > shown ? href("history", { events: String(shown + 100) }) : null}
        />
      );
    }
  }
}
