"use client";

import { type FormEvent, useState } from "react";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

/** A new password, typed twice. */
export function PasswordForm({ token }: { token: string }) {
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const said = new FormData(event.currentTarget);
    const password = String(said.get("password") ?? "");
    if (password !== said.get("again")) return setProblem("The two passwords differ.");
    const answer = await ask("/reset-password", { token, newPassword: password });
    if (answer.ok) window.location.assign("/sign-in");
    else setProblem(answer.problem);
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
      <Field label="Password" hint="At least 12 characters. A sentence is easier to remember than signs.">
        {(props) => <input {...props} name="password" type="password" autoComplete="new-password" required />}
      </Field>
      <Field label="The same again">
        {(props) => <input {...props} name="again" type="password" autoComplete="new-password" required />}
      </Field>
      <ProblemLine text={problem} />
      <button type="submit" className="act act-main">
        Save password
      </button>
    </form>
  );
}
