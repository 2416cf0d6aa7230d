"use client";

import { useState } from "react";
import { SiteOptions } from "@/app/_parts/site-options";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { SecretOnce } from "@/ui/secret-once";
import { useMaking } from "../_parts/use-making";
import { makeTokenAction } from "./actions";

interface Props {
  kinds: { value: string; text: string; may: string }[];
  sites: { id: number; name: string }[];
}

const DAYS = [
  { value: "30", text: "30 days" },
  { value: "365", text: "one year" },
  { value: "", text: "until it is ended" },
];

/** Makes a token, and shows its secret this once. */
export function TokenForm({ kinds, sites }: Props) {
  const [kind, setKind] = useState(kinds[0]?.value ?? "");
  const { made, faults, problem, pending, isReady, submit } = useMaking(({ text, number }) =>
    makeTokenAction({ name: text("name"), kind, siteId: number("site"), days: number("days") }),
  );
  return (
    <section>
      <form onSubmit={submit} aria-busy={!isReady} className="max-w-md space-y-3">
        <h2>New token</h2>
        <Field label="Name" hint="What comes with it, such as “Collector of North Pier”." error={faults.name}>
          {(props) => <input {...props} name="name" autoComplete="off" required />}
        </Field>
        <Field label="Good for" hint={kinds.find(({ value }) => value === kind)?.may} error={faults.kind}>
          {(props) => (
            <select {...props} value={kind} onChange={(event) => setKind(event.target.value)}>
              {kinds.map(({ value, text }) => (
                <option key={value} value={value}>
                  {text}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Site" error={faults.siteId}>
          {(props) => (
            <select {...props} name="site">
              <option value="">all sites</option>
              <SiteOptions sites={sites} />
            </select>
          )}
        </Field>
        <Field label="For how long" error={faults.days}>
          {(props) => (
            <select {...props} name="days" defaultValue="365">
              {DAYS.map(({ value, text }) => (
                <option key={value} value={value}>
                  {text}
                </option>
              ))}
            </select>
          )}
        </Field>
        <ProblemLine text={problem} />
        <button type="submit" className="act" disabled={pending}>
          {pending ? "Making …" : "Make token"}
        </button>
      </form>
      {made && <SecretOnce text="The token. It is not shown again." secret={made.secret} />}
    </section>
  );
}
