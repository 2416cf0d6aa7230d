import type { Metadata } from "next";
import { getPlan, lastSettings } from "@/server/cover/plans";
import { listSites } from "@/server/inventory/sites";
import { listReleases } from "@/server/media/releases";
import { currentContext } from "../../../_lib/context";
import { one, positive, type SearchParams } from "../../../_lib/params";
import { UpkeepNav } from "../../../upkeep/nav";
import { PlanForm } from "./plan-form";

export const metadata: Metadata = { title: "Plan least-cost cover" };

/** What a plan is reckoned by: prices, hours, and what is decided beforehand. */
export default async function NewPlan({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const from = positive(query.from);
  const [keep, place, release] = [one(query.keep), one(query.noPurchase), one(query.without)];
  const [sites, releases, before, last] = await Promise.all([
    listSites(context),
    listReleases(context),
    from ? getPlan(context, from) : null,
    lastSettings(context),
  ]);
  const settings = before?.settings ?? last;
  const more = (all: string[], own: string | undefined) => [...new Set([...all, ...(own ? [own] : [])])];
  return (
    <>
      <UpkeepNav here={null} />
      <h1>Plan least-cost cover</h1>
      <p className="max-w-3xl text-quiet">
        Creel considers every medium that can be kept, moved, rewritten or bought, and finds the cheapest plan in which
        every computer meets its policy. Constraints always hold.
      </p>
      <PlanForm
        settings={{
          ...settings,
          keep: more(settings.keep, keep),
          noPurchase: more(settings.noPurchase, place),
          without: more(settings.without, release),
        }}
        name={before ? `${before.name}, again` : ""}
        sites={sites.map(({ name }) => name)}
        releases={releases.map(({ kitName, name }) => `${kitName} ${name}`)}
      />
    </>
  );
}
