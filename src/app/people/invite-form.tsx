"use client";

import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useMaking } from "../_parts/use-making";
import { inviteAction } from "./actions";
import { LinkOnce } from "./link-once";

interface Props {
  choices: { value: string; text: string }[];
  /** Who is in the records, and has no account. */
  known: { id: number; name: string }[];
}

/** Gives somebody an account: they choose their password by a link. */
export function InviteForm({ choices, known }: Props) {
  const { made, faults, problem, pending, isReady, submit } = useMaking(async ({ text }) => {
    const name = text("name");
    const personId = known.find((person) => person.name === name.trim())?.id ?? null;
    return inviteAction({ personId, name, mail: text("mail"), role: text("role") });
  });
  return (
    <section>
      <form onSubmit={submit} aria-busy={!isReady} className="max-w-md space-y-3">
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
      {made && <LinkOnce {...made} />}
    </section>
  );
}
