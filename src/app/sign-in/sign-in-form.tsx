"use client";

import { type FormEvent, useState } from "react";
import { z } from "zod";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

const secondStep = z.object({ twoFactorRedirect: z.literal(true) });
/** A code of an authenticator has six digits; a backup code is longer. */
const TOTP = /^\d{6}$/;

/** Mail address and password, then a code where the account asks for one. */
export function SignInForm({ next }: { next: string }) {
  const ready = useReady();
  const [step, setStep] = useState<"password" | "code">("password");
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, setPending] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const said = (name: string) => String(new FormData(event.currentTarget).get(name) ?? "");
    const code = said("code").replace(/\s/g, "");
    const asked =
      step === "password"
        ? ask("/sign-in/email", { email: said("mail").trim(), password: said("password") })
        : ask(TOTP.test(code) ? "/two-factor/verify-totp" : "/two-factor/verify-backup-code", { code });
    setPending(true);
    setProblem(null);
    const answer = await asked;
    setPending(false);
    if (!answer.ok) return setProblem(answer.problem);
    if (secondStep.safeParse(answer.value).success) return setStep("code");
    window.location.assign(next);
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
      {step === "password" ? (
        <>
          <Field label="Mail address">
            {(props) => <input {...props} name="mail" type="email" autoComplete="username" required />}
          </Field>
          <Field label="Password">
            {(props) => <input {...props} name="password" type="password" autoComplete="current-password" required />}
          </Field>
        </>
      ) : (
        <Field label="Code" hint="The six digits of your authenticator app, or one of your backup codes.">
          {(props) => <input {...props} key="code" name="code" autoComplete="one-time-code" required />}
        </Field>
      )}
      <ProblemLine text={problem} />
      <button type="submit" className="act act-main" disabled={pending}>
        {pending ? "Signing in …" : "Sign in"}
      </button>
    </form>
  );
}
