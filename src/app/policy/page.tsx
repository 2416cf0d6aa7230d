import type { Metadata } from "next";
import Link from "next/link";
import { FORMS } from "@/core/computer/facts/schema";
import { POLICY_KEYS, type PolicyKey, SCOPES, type Scope, USUAL_VALUES } from "@/core/cover/policy";
import { POLICY_TITLES, policyValueText, scopeTitle } from "@/core/words/policy";
import { listRules, loadTravel, type RuleRow } from "@/server/inventory/policies";
import { currentContext } from "../_lib/context";
import { one, type SearchParams } from "../_lib/params";
import { UpkeepNav } from "../upkeep/nav";
import { RuleForm } from "./rule-form";
import { TravelForm } from "./travel-form";

export const metadata: Metadata = { title: "Policy and travel" };

/** What is asked of computers and places, from all to one, and how long the ways between places take. */
export default async function Policy({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const [rules, travel] = await Promise.all([listRules(context.db), loadTravel(context.db)]);
  const scope = SCOPES.find((each) => each === one(query.scope)) ?? "everywhere";
  const chosen = one(query.target) ?? "";
  // A list begins with its first: what is said for that is shown.
  const first = scope === "site" ? travel.places[0]?.name : scope === "form" ? FORMS[0] : undefined;
  const target = chosen || (first ?? "");
  const sameRule = rules.find(
    (rule) =>
      rule.scope === scope && rule.target.toLowerCase() === (scope === "everywhere" ? "" : target.toLowerCase()),
  );
  return (
    <>
      <UpkeepNav here="/policy" />
      <h1>Policy</h1>
      <p className="max-w-3xl text-quiet">
        What each computer requires. A computer's own rule overrides its model's, then its form factor's, its site's,
        and the rule for all. Unset values use the defaults.
      </p>
      <div className="mt-3 grid gap-x-10 gap-y-6 xl:grid-cols-[minmax(0,1fr)_26rem]">
        <Rules rules={rules} />
        <RuleForm
          key={`${scope} ${target} ${sameRule?.version}`}
          scope={scope}
          target={sameRule?.target ?? target}
          known={sameRule ? { values: sameRule.values, version: sameRule.version } : null}
          places={travel.places.map(({ name }) => name)}
          forms={[...FORMS]}
        />
      </div>
      <TravelForm travel={travel} />
    </>
  );
}

const ruleHref = ({ scope, target }: { scope: Scope; target: string }) =>
  `/policy?${new URLSearchParams({ scope, ...(target ? { target } : {}) })}`;

function Rules({ rules }: { rules: RuleRow[] }) {
  const sorted = [...rules].sort(
    (a, b) => SCOPES.indexOf(a.scope) - SCOPES.indexOf(b.scope) || a.target.localeCompare(b.target),
  );
  const said = (rule: RuleRow) => POLICY_KEYS.filter((key) => rule.values[key] !== undefined);
  return (
    <section>
      <h2>Rules</h2>
      {rules.length === 0 && <p className="text-quiet">No rules yet: the defaults apply to all computers.</p>}
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {sorted.map((rule) => (
          <li key={rule.id} className="grid grid-cols-[11rem_minmax(0,1fr)] gap-x-3 py-1.5">
            <span>
              <span className="caption block">{scopeTitle(rule.scope)}</span>
              <Link prefetch={false} className="font-semibold" href={ruleHref(rule)}>
                {rule.scope === "everywhere" ? "All computers" : rule.target}
              </Link>
            </span>
            <span>
              {said(rule).map((key) => (
                <span key={key} className="block">
                  <span className="text-quiet">{POLICY_TITLES[key]}:</span> {valueText(rule, key)}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
      <details className="mt-3">
        <summary className="cursor-pointer text-quiet">Defaults</summary>
        <dl className="mt-1 grid max-w-2xl grid-cols-[minmax(0,1fr)_auto] gap-x-6">
          {POLICY_KEYS.map((key) => (
            <div key={key} className="contents">
              <dt className="text-quiet">{POLICY_TITLES[key]}</dt>
              <dd>{policyValueText(key, USUAL_VALUES[key])}</dd>
            </div>
          ))}
        </dl>
      </details>
    </section>
  );
}

function valueText({ values }: RuleRow, key: PolicyKey): string {
  const value = values[key];
  return value === undefined ? "" : policyValueText(key, value);
}
