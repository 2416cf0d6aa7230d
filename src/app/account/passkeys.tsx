"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { makePasskey } from "../_door/passkey";
import { ActButton } from "../_parts/act-button";
import { removePasskeyAction } from "./actions";

/** Passkeys: a device, and the gesture that unlocks it, in place of a password and a code. */
export function Passkeys({ own }: { own: { id: string; name: string; since: string }[] }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    setProblem(null);
    const answer = await makePasskey(String(new FormData(form).get("name") ?? "").trim());
    if (!answer.ok) return setProblem(answer.problem);
    form.reset();
    router.refresh();
  };
  return (
    <section aria-labelledby="passkeys" className="max-w-md space-y-3">
      <h2 id="passkeys">Passkeys</h2>
      <p>A passkey signs you in without a password: by the fingerprint, face or PIN that unlocks this device.</p>
      {own.length > 0 && (
        <ul className="divide-y divide-line border-line border-y">
          {own.map(({ id, name, since }) => (
            <li key={id} className="flex items-center justify-between gap-3 py-1.5">
              <span>
                {name} <span className="text-quiet">since {since}</span>
              </span>
              <ActButton text="Remove" label={`Remove the passkey ${name}`} act={removePasskeyAction.bind(null, id)} />
            </li>
          ))}
        </ul>
      )}
      <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
        <Field label="Name of the device">
          {(props) => <input {...props} name="name" maxLength={60} autoComplete="off" required />}
        </Field>
        <ProblemLine text={problem} />
        <button type="submit" className="act">
          Add a passkey
        </button>
      </form>
    </section>
  );
}
