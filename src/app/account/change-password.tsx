"use client";

import { type FormEvent, useState } from "react";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

/** Another password; all other sessions end with it. */
export function ChangePassword() {
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [isDone, setDone] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const said = new FormData(form);
    const [currentPassword, newPassword] = [String(said.get("current") ?? ""), String(said.get("password") ?? "")];
    setDone(false);
    if (newPassword !== said.get("again")) return setProblem("The two new passwords differ.");
    const answer = await ask("/change-password", { currentPassword, newPassword, revokeOtherSessions: true });
    setProblem(answer.ok ? null : answer.problem);
    if (!answer.ok) return;
    setDone(true);
    form.reset();
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="max-w-md space-y-3">
      <h2>Change password</h2>
      <Field label="Current password">
        {(props) => <input {...props} name="current" type="password" autoComplete="current-password" required />}
      </Field>
      <Field label="New password" hint="At least 12 characters. Your other sessions end.">
        {(props) => <input {...props} name="password" type="password" autoComplete="new-password" required />}
      </Field>
      <Field label="New password again">
        {(props) => <input {...props} name="again" type="password" autoComplete="new-password" required />}
      </Field>
      <ProblemLine text={problem} />
      {isDone && <p role="status">Password changed.</p>}
      <button type="submit" className="act">
        Change password
      </button>
    </form>
  );
}
