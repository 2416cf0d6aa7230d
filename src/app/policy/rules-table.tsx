"use client";

import clsx from "clsx";
import { X } from "lucide-react";
import { useRouter } from "next/navigation";
import { Fragment, useState } from "react";
import { type PolicyKey, SCOPES, type Scope, SITE_KEYS, USUAL_VALUES } from "@/core/cover/policy";
import {
  POLICY_GROUPS,
  POLICY_TITLES,
  policyValueText,
  ruleChangedText,
  ruleSubjectText,
  ruleTargetText,
  scopeTitle,
} from "@/core/words/policy";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { RuleColumn } from "@/server/inventory/policies";
import type { Problem, Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { saveRuleAction, saveRuleValueAction } from "./actions";
import { type PolicyValue, ValueCell } from "./value-cell";

const idOf = ({ scope, target }: { scope: Scope; target: string }) => `${scope} ${target}`;

/** What was done last, and how it is taken back. */
interface Done {
  text: string;
  undo: () => Promise<Result<unknown>>;
}

/** What a problem of one value says below it. */
function valueProblem(problem: Problem): string {
  return Object.values(fieldTexts(problem))[0] ?? problemText(problem);
}

/** Rules by row, for whom they are by column; what is inherited is grey; each value is edited where it stands. */
export function RulesTable({ columns, chosen }: { columns: RuleColumn[]; chosen: { scope: Scope; target: string } }) {
  const router = useRouter();
  const ready = useReady();
  const [shown, setShown] = useState(idOf(chosen));
  const [lastChosen, setLastChosen] = useState(idOf(chosen));
  // A column that the address names comes to the front.
  if (idOf(chosen) !== lastChosen) {
    setLastChosen(idOf(chosen));
    setShown(idOf(chosen));
  }
  const [done, setDone] = useState<Done | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const shownId = columns.some((column) => idOf(column) === shown) ? shown : "everywhere ";

  const saveValue = async (column: RuleColumn, key: PolicyKey, value: PolicyValue): Promise<string | null> => {
    const { scope, target, rule } = column;
    const said = (each: PolicyValue) => (each === undefined ? {} : { [key]: each });
    const [before, after] = [said(rule?.values[key]), said(value)];
    const change = { scope, target, key };
    const result = await saveRuleValueAction({ ...change, before, after });
    if (!result.ok) return valueProblem(result.problem);
    setProblem(null);
    setDone({
      text: ruleChangedText(
        key,
        ruleSubjectText(scope, target),
        value === undefined ? null : policyValueText(key, value),
      ),
      undo: () => saveRuleValueAction({ ...change, before: after, after: before }),
    });
    router.refresh();
    return null;
  };
  const remove = async ({ scope, target, rule }: RuleColumn) => {
    if (!rule) return router.push("/policy");
    const result = await saveRuleAction({ scope, target, values: {} }, rule.version);
    if (!result.ok) return setProblem(problemText(result.problem));
    setProblem(null);
    setDone({
      text: `Removed: the rule for ${ruleSubjectText(scope, target)}.`,
      undo: () => saveRuleAction({ scope, target, values: rule.values }, null),
    });
    router.push("/policy");
    router.refresh();
  };
  const undo = async () => {
    const result = await done?.undo();
    setDone(null);
    if (result && !result.ok) setProblem(problemText(result.problem));
    router.refresh();
  };

  const heads = SCOPES.map((scope) => columns.filter((column) => column.scope === scope)).filter(
    (group) => group.length > 0,
  );
  const cellClass = (column: RuleColumn) => clsx(idOf(column) !== shownId && "hidden md:table-cell");
  return (
    <div aria-busy={!ready}>
      <label className="mb-2 block md:hidden">
        <span className="block font-semibold text-[0.9rem]">Rules for</span>
        <select className="field" value={shownId} onChange={(event) => setShown(event.target.value)}>
          {columns.map((column) => (
            <option key={idOf(column)} value={idOf(column)}>
              {ruleTargetText(column.scope, column.target)}
            </option>
          ))}
        </select>
      </label>
      <div className="overflow-x-auto">
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className="caption">
              <td className="sticky left-0 bg-paper" />
              <td className="hidden md:table-cell" />
              {heads.map((group) => (
                <td
                  key={group[0]?.scope}
                  colSpan={group.length}
                  className="hidden border-line border-l px-2 md:table-cell"
                >
                  {group[0]?.scope === "everywhere" ? "" : scopeTitle(group[0]?.scope ?? "everywhere")}
                </td>
              ))}
            </tr>
            <tr className="align-bottom">
              <th scope="col" className="sticky left-0 z-10 bg-paper pb-1 md:min-w-56">
                <span className="sr-only">Rule</span>
              </th>
              <th scope="col" className="hidden min-w-24 px-2 pb-1 font-normal text-quiet md:table-cell">
                Default
              </th>
              {columns.map((column) => (
                <th
                  key={idOf(column)}
                  scope="col"
                  className={clsx("min-w-32 border-line border-l px-2 pb-1", cellClass(column))}
                >
                  <span className="flex items-end justify-between gap-1">
                    {ruleTargetText(column.scope, column.target)}
                    {column.scope !== "everywhere" && (
                      <button
                        type="button"
                        className="rounded-sm p-1 text-quiet hover:bg-rope-soft hover:text-ink"
                        aria-label={`Remove the rule for ${ruleSubjectText(column.scope, column.target)}`}
                        title="Remove rule"
                        onClick={() => void remove(column)}
                      >
                        <X size={15} aria-hidden />
                      </button>
                    )}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {POLICY_GROUPS.map(({ title, keys }) => (
              <Fragment key={title}>
                <tr>
                  <th
                    scope="rowgroup"
                    colSpan={2 + columns.length}
                    className="caption border-line border-b pt-3 font-semibold"
                  >
                    {title}
                  </th>
                </tr>
                {keys.map((key) => (
                  <tr key={key} className="border-line border-b align-top">
                    <th scope="row" className="sticky left-0 z-10 bg-paper py-1 pr-3 font-normal">
                      {POLICY_TITLES[key]}
                    </th>
                    <td className="hidden px-2 py-1 text-quiet md:table-cell">
                      {policyValueText(key, USUAL_VALUES[key])}
                    </td>
                    {columns.map((column) => (
                      <td key={idOf(column)} className={clsx("border-line border-l", cellClass(column))}>
                        {column.scope !== "everywhere" && column.scope !== "site" && SITE_KEYS.includes(key) ? (
                          <span className="sr-only">only for sites</span>
                        ) : (
                          <ValueCell
                            name={key}
                            label={`${POLICY_TITLES[key]} for ${ruleSubjectText(column.scope, column.target)}`}
                            value={column.rule?.values[key]}
                            inherits={column.inherits[key]}
                            save={(value) => saveValue(column, key, value)}
                          />
                        )}
                      </td>
                    ))}
                  </tr>
                ))}
              </Fragment>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-2 min-h-7" role="status">
        {done && (
          <span className="flex flex-wrap items-baseline gap-x-3">
            Saved. {done.text}
            <button type="button" className="link" onClick={() => void undo()}>
              Undo
            </button>
          </span>
        )}
      </div>
      <ProblemLine text={problem} />
    </div>
  );
}
