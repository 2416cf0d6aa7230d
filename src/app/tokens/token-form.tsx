"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { SiteOptions } from "@/app/_parts/site-options";
import { fieldTexts, problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { SecretOnce } from "@/ui/secret-once";
import { useReady } from "@/ui/use-ready";
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
  const router = useRouter();
  const ready = useReady();
  const [pending, start] = useTransition();
  const [kind, setKind] = useState(kinds[0]?.value ?? "");
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [problem, setProblem] = useState<string | null>(null);
  const [secret, setSecret] = useState<string | null>(null);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const said = (name: string) => String(new FormData(form).get(name) ?? "");
    const number = (name: string) => (said(name) === "" ? null : Number(said(name)));
    start(async () => {
      const told = { name: said("name"), kind, siteId: number("site"), days: number("days") };
      const result = await makeTokenAction(told);
      const fields = result.ok ? {} : fieldTexts(result.problem);
      setFaults(fields);
      setProblem(result.ok || Object.keys(fields).length > 0 ? null : problemText(result.problem));
      setSecret(result.ok ? result.value.secret : null);
      if (!result.ok) return;
      form.reset();
      router.refresh();
    });
  };
  return (
    <section>
      <form onSubmit={submit} aria-busy={!ready} className="max-w-md space-y-3">
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
      {secret && <SecretOnce text="The token. It is not shown again." secret={secret} />}
    </section>
  );
}
