"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { HAPPENINGS, type Happening, needsDay } from "@/core/callout/happenings";
import { happeningText } from "@/core/words/callout";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { openCalloutAction } from "./actions";

/** A name and what happened: the rest is worked out. */
export function OpenForm({
  computer,
  computers,
}: {
  computer: string;
  computers: { tag: string; name: string | null }[];
}) {
  const router = useRouter();
  const ready = useReady();
  const [happening, setHappening] = useState<Happening>("does-not-start");
  const [problem, setProblem] = useState<Problem | null>(null);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const input = { computer: data.get("computer"), happening, since: data.get("since") || null };
    const result = await openCalloutAction(input);
    if (result.ok) router.push(`/callouts/${result.value}`);
    else setProblem(result.problem);
  };
  const fields = fieldTexts(problem);
  return (
    <form
      onSubmit={submit}
      aria-busy={!ready}
      className="grid max-w-3xl items-end gap-3 sm:grid-cols-[1fr_1.2fr_auto_auto]"
    >
      <Field label="Computer" error={fields.computer}>
        {(props) => (
          // biome-ignore lint/a11y/noAutofocus: whoever comes here has a dead computer in front of them
          <input {...props} name="computer" defaultValue={computer} list="computers" autoComplete="off" autoFocus />
        )}
      </Field>
      <datalist id="computers">
        {computers.map(({ tag, name }) => (
          <option key={tag} value={tag}>
            {name}
          </option>
        ))}
      </datalist>
      <Field label="What happened" error={fields.happening}>
        {(props) => (
          <select {...props} value={happening} onChange={(event) => setHappening(event.target.value as Happening)}>
            {HAPPENINGS.map((each) => (
              <option key={each} value={each}>
                {happeningText(each)}
              </option>
            ))}
          </select>
        )}
      </Field>
      {needsDay(happening) ? (
        <Field label="Since" error={fields.since}>
          {(props) => <input {...props} name="since" type="date" />}
        </Field>
      ) : (
        <span />
      )}
      <button type="submit" className="act-main">
        Open call-out
      </button>
      <ProblemLine
        text={problem && Object.keys(fields).length === 0 ? problemText(problem) : null}
        className="sm:col-span-4"
      />
    </form>
  );
}
