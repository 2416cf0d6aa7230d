"use client";

import { type FormEvent, useState } from "react";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

/** Asks for a link by mail. Whether an address has an account is told to nobody. */
export function ResetForm() {
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [sentTo, setSentTo] = useState<string | null>(null);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const mail = String(new FormData(event.currentTarget).get("mail") ?? "").trim();
    const answer = await ask("/request-password-reset", { email: mail });
    setProblem(answer.ok ? null : answer.problem);
    if (answer.ok) setSentTo(mail);
  };
  if (sentTo !== null)
    return (
      <p role="status">
        If {sentTo} has an account, a mail with a link follows. No mail? An administrator can make a link under People.
      </p>
    );
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
      <Field label="Mail address">
        {(props) => <input {...props} name="mail" type="email" autoComplete="username" required />}
      </Field>
      <ProblemLine text={problem} />
      <button type="submit" className="act act-main">
        Send a link
      </button>
    </form>
  );
}
