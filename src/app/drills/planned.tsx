"use client";

import Link from "next/link";
import { useShortForm } from "@/app/_parts/use-short-form";
import type { PlannedDrill } from "@/server/drills/planned-drills";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { dateText } from "@/ui/words";
import { planDrillAction, withdrawDrillAction } from "./actions";

/** Drills to be held, and a form for the next one. */
export function Planned({ planned, medium, computer }: { planned: PlannedDrill[]; medium: string; computer: string }) {
  const { ready, fields, general, submit, act } = useShortForm(planDrillAction);
  return (
    <section aria-busy={!ready} aria-labelledby="planned-title" className="mt-4 max-w-3xl">
      <h2 id="planned-title">Planned</h2>
      {planned.length === 0 ? (
        <p className="text-quiet">No drill planned.</p>
      ) : (
        <ul data-list className="mt-2 divide-y divide-line border-line border-y">
          {planned.map(({ id, medium: what, computer: on, dueOn, isOverdue, by }) => (
            <li
              key={id}
              className="grid grid-cols-[auto_minmax(0,1fr)] items-baseline gap-x-4 py-1.5 max-sm:[&>*:nth-child(-n+2)]:col-span-2 sm:grid-cols-[12rem_minmax(0,1fr)_auto_auto]"
            >
              <Link
                prefetch={false}
                data-item
                className="code font-bold"
                href={`/chains?${new URLSearchParams({ computer: on, medium: what })}`}
              >
                {what} on {on}
              </Link>
              <span>
                <span className={isOverdue ? "font-semibold text-plum" : ""}>
                  {isOverdue ? "overdue since" : "by"} {dateText(dueOn)}
                </span>{" "}
                <span className="text-quiet">{by}</span>
              </span>
              <Link
                prefetch={false}
                className="link"
                href={`/drills/new?${new URLSearchParams({ medium: what, computer: on })}`}
              >
                Record result
              </Link>
              <button type="button" className="link min-h-[24px]" onClick={() => act(withdrawDrillAction(id))}>
                Withdraw
              </button>
            </li>
          ))}
        </ul>
      )}
      <form onSubmit={submit} className="mt-3 grid items-end gap-3 sm:grid-cols-[9rem_9rem_11rem_auto_1fr]">
        <Field label="Medium" error={fields.medium}>
          {(props) => <input {...props} name="medium" defaultValue={medium} autoComplete="off" />}
        </Field>
        <Field label="Computer" error={fields.computer}>
          {(props) => <input {...props} name="computer" defaultValue={computer} autoComplete="off" />}
        </Field>
        <Field label="Due by" error={fields.dueOn}>
          {(props) => <input {...props} name="dueOn" type="date" />}
        </Field>
        <button type="submit" className="act">
          Plan drill
        </button>
      </form>
      <ProblemLine text={general} className="mt-1" />
    </section>
  );
}
