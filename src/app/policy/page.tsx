import type { Metadata } from "next";
import { FORMS } from "@/core/computer/facts/schema";
import { SCOPES } from "@/core/cover/policy";
import { loadTravel, ruleColumns } from "@/server/inventory/policies";
import { currentContext } from "../_lib/context";
import { one, type SearchParams } from "../_lib/params";
import { UpkeepNav } from "../upkeep/nav";
import { AddRule } from "./add-rule";
import { RulesTable } from "./rules-table";
import { TravelForm } from "./travel-form";

export const metadata: Metadata = { title: "Policy and travel" };

/** What is asked of computers and places, from all to one, and how long the ways between places take. */
export default async function Policy({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const scope = SCOPES.find((each) => each === one(query.scope)) ?? "everywhere";
  const target = one(query.target) ?? "";
  const find = one(query.find) ?? "";
  const chosen =
    scope === "everywhere" || target === "" ? { scope: "everywhere" as const, target: "" } : { scope, target };
  const [{ columns, others }, travel] = await Promise.all([ruleColumns(context, chosen, find), loadTravel(context.db)]);
  return (
    <>
      <UpkeepNav here="/policy" />
      <h1>Policy</h1>
      <p className="max-w-3xl text-quiet">
        What each computer requires. Select a value to edit it. Grey values are inherited: a computer's own rule
        overrides its model's, then its form factor's, its site's, the rule for all, and the default.
      </p>
      {(others > 0 || find !== "") && (
        <form className="mt-3 flex flex-wrap items-center gap-3">
          <label className="sr-only" htmlFor="find-rule">
            Site, form factor, model or tag
          </label>
          <input
            id="find-rule"
            className="field w-72"
            name="find"
            type="search"
            defaultValue={find}
            placeholder="Site, form factor, model or tag"
          />
          <button type="submit" className="act">
            Find rules
          </button>
          {others > 0 && <span className="text-quiet">{others} more rules match.</span>}
        </form>
      )}
      <div className="mt-3">
        <RulesTable columns={columns} chosen={chosen} />
      </div>
      <div className="mt-3">
        <AddRule sites={travel.places.map(({ name }) => name)} forms={[...FORMS]} />
      </div>
      <TravelForm travel={travel} />
    </>
  );
}
