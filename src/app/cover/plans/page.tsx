import type { Metadata } from "next";
import Link from "next/link";
import { progressText } from "@/core/words/cover";
import { listPlans, type PlanRow } from "@/server/cover/plans";
import { plural, timeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { UpkeepNav } from "../../upkeep/nav";
import { moneyText } from "../money";

export const metadata: Metadata = { title: "Cover plans" };

/** Every plan, the latest first; two of them are compared side by side. */
export default async function Plans() {
  const plans = await listPlans(await currentContext());
  const done = plans.filter(({ result }) => result !== null);
  return (
    <>
      <UpkeepNav here="/cover/plans" />
      <header className="flex flex-wrap items-start justify-between gap-3">
        <h1>Cover plans</h1>
        <Link prefetch={false} className="act-main" href="/cover/plans/new">
          New plan
        </Link>
      </header>
      {plans.length === 0 && (
        <p className="mt-2 max-w-2xl text-quiet">
          None yet. A plan lists which media to keep, move, rewrite and buy, so that every computer meets its policy at
          the least cost.
        </p>
      )}
      <form action="/cover/compare">
        <ul data-list className="mt-3 max-w-4xl divide-y divide-line border-line border-y">
          {plans.map((plan) => (
            <li key={plan.id} className="grid grid-cols-[1.5rem_minmax(0,1fr)_auto] items-baseline gap-x-3 py-2">
              {plan.result ? (
                <input
                  type="checkbox"
                  name="plan"
                  value={plan.id}
                  aria-label={`Compare ${plan.name}, number ${plan.id}`}
                />
              ) : (
                <span />
              )}
              <div>
                <Link prefetch={false} data-item className="font-semibold" href={`/cover/plans/${plan.id}`}>
                  {plan.name}
                </Link>{" "}
                <span className={plan.state === "failed" ? "text-plum" : "text-quiet"}>{standText(plan)}</span>
              </div>
              <span className="text-quiet">
                {timeText(plan.createdAt)}, {plan.personName}
              </span>
            </li>
          ))}
        </ul>
        {done.length > 1 && (
          <button type="submit" className="act mt-3">
            Compare selected
          </button>
        )}
      </form>
    </>
  );
}

function standText({ state, told, result }: PlanRow): string {
  if (!result) return told ? progressText(told) : state;
  const acts = result.media.filter(({ act }) => act !== "keep").length;
  const summary = `${moneyText(result.cost.total)}, ${plural(acts, "act")}, ${result.met.planned} of ${plural(result.met.of, "computer")} covered`;
  return state === "accepted" ? `accepted: ${summary}` : summary;
}
