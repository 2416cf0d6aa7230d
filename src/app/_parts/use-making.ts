"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { useReady } from "@/ui/use-ready";

/** What a form says: a text field as it is, and a choice that may be none as a number or null. */
interface Said {
  text: (name: string) => string;
  number: (name: string) => number | null;
}

/**
 * A small form that makes something which is shown this once. `make` gets what the form says; `empties`: it is empty again
 * once that is made. Gives what was made, or what is wrong with its fields, or with all of it.
 */
export function useMaking<T>(make: (said: Said) => Promise<Result<T>>, { empties = true } = {}) {
  const router = useRouter();
  const isReady = useReady();
  const [pending, start] = useTransition();
  const [made, setMade] = useState<T | null>(null);
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [problem, setProblem] = useState<string | null>(null);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const data = new FormData(form);
    const text = (name: string) => String(data.get(name) ?? "");
    const number = (name: string) => (text(name) === "" ? null : Number(text(name)));
    start(async () => {
      const result = await make({ text, number });
      const fields = result.ok ? {} : fieldTexts(result.problem);
      setFaults(fields);
      setProblem(result.ok || Object.keys(fields).length > 0 ? null : problemText(result.problem));
      setMade(result.ok ? result.value : null);
      if (!result.ok) return;
      if (empties) form.reset();
      router.refresh();
    });
  };
  return { made, faults, problem, pending, isReady, submit };
}
