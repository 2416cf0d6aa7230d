"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { Problem, Result } from "@/server/problems";
import { useReady } from "@/ui/use-ready";

/** A form of a few entries below its list: what was sent is shown at once, and the form is empty again. */
export function useShortForm(send: (values: Record<string, FormDataEntryValue>) => Promise<Result<unknown>>) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<Problem | null>(null);
  /** Does something to the list; gives whether it was done. */
  const act = async (doing: Promise<Result<unknown>>): Promise<boolean> => {
    const result = await doing;
    setProblem(result.ok ? null : result.problem);
    router.refresh();
    return result.ok;
  };
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    if (await act(send(Object.fromEntries(new FormData(form))))) form.reset();
  };
  const fields = fieldTexts(problem);
  /** What stands below the form: what no field of it is to blame for. */
  const general = problem && Object.keys(fields).length === 0 ? problemText(problem) : null;
  return { ready, problem, fields, general, submit, act };
}
