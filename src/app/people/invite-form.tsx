"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { inviteAction } from "./actions";
import { LinkOnce } from "./link-once";

interface Props {
  choices: { value: string; text: string }[];
  /** Who is in the records, and has no account. */
  known: { id: number; name: string }[];
}

/** Gives somebody an account: they choose their password by a link. */
export function InviteForm({ choices, known }: Props) {
  const router = useRouter();
  const ready = useReady();
  const [pending, start] = useTransition();
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [problem, setProblem] = useState<string | null>(null);
  const [invited, setInvited] = useState<{ name: string; link: string; isUnsent: boolean } | null>(null);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const said = (name: string) => String(new FormData(form).get(name) ?? "");
    const name = said("name");
    const personId = known.find((person) => person.name === name.trim())?.id ?? null;
    start(async () => {
      const result = await inviteAction({ personId, name, mail: said("mail"), role: said("role") });
      const fields = result.ok ? {} : fieldTexts(result.problem);
      setFaults(fields);
      setProblem(result.ok || Object.keys(fields).length > 0 ? null : problemText(result.problem));
      setInvited(result.ok ? result.value : null);
      if (!result.ok) return;
      form.reset();
      router.refresh();
    });
  };
  return (
    <section>
      <form onSubmit={submit} aria-busy={!ready} className="max-w-md space-y-3">
        <h2>Invite</h2>
        <Field label="Name" error={faults.name} hint={known.length > 0 ? "As recorded, or somebody new." : undefined}>
          {(props) => (
            <>
              <input {...props} name="name" list="known-people" autoComplete="off" required />
              <datalist id="known-people">
                {known.map(({ id, name }) => (
                  <option key={id} value={name} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <Field label="Mail address" error={faults.mail}>
          {(props) => <input {...props} name="mail" type="email" autoComplete="off" required />}
        </Field>
        <Field label="Role" error={faults.role}>
          {(props) => (
            <select {...props} name="role" defaultValue="technician">
              {choices.map(({ value, text }) => (
                <option key={value} value={value}>
                  {text}
                </option>
              ))}
            </select>
          )}
        </Field>
        <ProblemLine text={problem} />
        <button type="submit" className="act" disabled={pending}>
          {pending ? "Inviting …" : "Invite"}
        </button>
      </form>
      {invited && <LinkOnce {...invited} />}
    </section>
  );
}
