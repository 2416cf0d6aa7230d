"use client";

import { useShortForm } from "@/app/_parts/use-short-form";
import { visible } from "@/core/words/visible";
import type { NotedItem } from "@/server/inventory/noted-changes";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { dateText } from "@/ui/words";
import { noteChangeAction, withdrawChangeAction } from "../actions";

/** Changes that somebody is about to make: an image is worth most the day before one. */
export function Changes({ ahead, computer }: { ahead: NotedItem[]; computer: string }) {
  const { ready, fields, general, submit, act } = useShortForm(noteChangeAction);
  return (
    <section id="changes" aria-labelledby="changes-title" aria-busy={!ready} className="mt-6 max-w-3xl">
      <h2 id="changes-title">Planned changes</h2>
      <p className="text-quiet">An image is due in the week before a risky change, and another after it.</p>
      {ahead.length > 0 && (
        <ul className="mt-2 divide-y divide-line border-line border-y">
          {ahead.map(({ id, computer: tag, on, what, by }) => (
            <li key={id} className="grid grid-cols-[7rem_9rem_minmax(0,1fr)_auto] items-baseline gap-x-3 py-1.5">
              <span className="code font-bold">{tag}</span>
              <span>{dateText(on)}</span>
              <span>
                {visible(what, 200)} <span className="text-quiet">{by}</span>
              </span>
              <button type="button" className="link min-h-[24px]" onClick={() => act(withdrawChangeAction(id))}>
                Withdraw
              </button>
            </li>
          ))}
        </ul>
      )}
      <form onSubmit={submit} className="mt-3 grid items-end gap-3 sm:grid-cols-[9rem_11rem_1fr_auto]">
        <Field label="Computer" error={fields.computer}>
          {(props) => <input {...props} name="computer" defaultValue={computer} autoComplete="off" />}
        </Field>
        <Field label="On" error={fields.on}>
          {(props) => <input {...props} name="on" type="date" />}
        </Field>
        <Field label="Change" error={fields.what}>
          {(props) => (
            <input {...props} name="what" autoComplete="off" placeholder="Firmware update, a program installed" />
          )}
        </Field>
        <button type="submit" className="act">
          Save change
        </button>
      </form>
      <ProblemLine text={general} className="mt-1" />
    </section>
  );
}
