import type { Metadata } from "next";
import Link from "next/link";
import type { CoverResult, PlannedMedium } from "@/core/cover/result";
import { getPlan } from "@/server/cover/plans";
import { currentContext } from "../../_lib/context";
import type { SearchParams } from "../../_lib/params";
import { UpkeepNav } from "../../upkeep/nav";
import { moneyText } from "../money";

export const metadata: Metadata = { title: "Plans compared" };

const MOST = 4;

/** Plans side by side: what they come to, and what one does that another does not. */
export default async function Compare({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const ids = [query.plan ?? []].flat().map(Number).filter(Number.isSafeInteger).slice(0, MOST);
  const found = await Promise.all(ids.map((id) => getPlan(context, id)));
  const plans = found.flatMap((plan) => (plan?.result ? [{ ...plan, result: plan.result }] : []));
  const lines = new Map<string, number[]>();
  for (const [at, { result }] of plans.entries())
    for (const medium of result.media.filter(({ act }) => act !== "keep")) {
      const counts = lines.get(lineOf(medium)) ?? plans.map(() => 0);
      counts[at] = (counts[at] ?? 0) + 1;
      lines.set(lineOf(medium), counts);
    }
  const figures: [string, (result: CoverResult) => string][] = [
    ["Computers covered", ({ met }) => `${met.planned} of ${met.of}`],
    ["Cost", ({ cost }) => moneyText(cost.total)],
    ["Purchases", ({ cost }) => moneyText(cost.purchase)],
    ["Labour", ({ cost }) => moneyText(cost.work)],
    ["Travel", ({ cost }) => moneyText(cost.travel)],
    ["Proven least", ({ isLeast, cost }) => (isLeast ? "yes" : `not below ${moneyText(cost.bound)}`)],
    ["Not achievable", ({ lacks }) => String(lacks.length)],
  ];
  return (
    <>
      <UpkeepNav here={null} />
      <h1>Plans compared</h1>
      {plans.length < 2 && (
        <p className="text-quiet">
          Select two or more under{" "}
          <Link prefetch={false} className="link" href="/cover/plans">
            Plans
          </Link>
          .
        </p>
      )}
      <div className="mt-3 overflow-x-auto">
        <table className="border-collapse">
          <thead>
            <tr className="border-line border-b text-left align-bottom">
              <th />
              {plans.map(({ id, name }) => (
                <th key={id} className="px-4 py-1.5 text-right">
                  <Link prefetch={false} href={`/cover/plans/${id}`}>
                    {name}
                  </Link>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {figures.map(([title, of]) => (
              <tr key={title} className="border-line border-b">
                <th scope="row" className="py-1 pr-6 text-left font-semibold">
                  {title}
                </th>
                {plans.map(({ id, result }) => (
                  <td key={id} className="px-4 text-right tabular-nums">
                    {of(result)}
                  </td>
                ))}
              </tr>
            ))}
            {[...lines].sort().map(([line, counts]) => (
              <tr key={line} className="border-line border-b">
                <th scope="row" className="py-1 pr-6 text-left font-normal">
                  {line}
                </th>
                {counts.map((count, at) => (
                  <td
                    key={plans[at]?.id}
                    className={`px-4 text-right tabular-nums ${new Set(counts).size > 1 ? "font-bold" : "text-quiet"}`}
                  >
                    {count || "–"}
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

function lineOf({ act, medium, holds, site, from, size }: PlannedMedium): string {
  const what = holds ?? "a blank spare";
  if (act === "buy") return `Buy ${size === "disc" ? "a disc" : `a stick of ${size}`} for ${site}: ${what}`;
  if (act === "move") return `Bring ${medium} from ${from} to ${site}`;
  if (holds === null) return `Wipe ${medium} at ${site}: a blank spare`;
  return `Write ${what} to ${medium}${from === site ? ` at ${site}` : `, from ${from} to ${site}`}`;
}
