"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { fieldTexts, problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { recordDrillAction } from "./actions";

interface DrillValues {
  medium: string;
  computer: string;
  on: string;
  result: "started" | "restored" | "failed";
  note: string;
}

const RESULTS: Record<DrillValues["result"], string> = {
  started: "it started, and saw the disks",
  restored: "it started, and an image was put back on a spare disk",
  failed: "it failed",
};

export function DrillForm({ medium, computer, today }: { medium: string; computer: string; today: string }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const { register, handleSubmit, setError, formState } = useForm<DrillValues>({
    defaultValues: { medium, computer, on: today, result: "started", note: "" },
  });
  const { errors } = formState;
  const save = handleSubmit(async (values) => {
    setProblem(null);
    const result = await recordDrillAction(values);
    if (result.ok) {
      router.push(`/computers/${encodeURIComponent(values.computer.trim())}`);
      router.refresh();
      return;
    }
    const fields = Object.entries(fieldTexts(result.problem));
    for (const [field, message] of fields) setError(field as keyof DrillValues, { message }, { shouldFocus: true });
    if (fields.length === 0) setProblem(problemText(result.problem));
  });
  return (
    <form onSubmit={save} noValidate aria-busy={!ready} className="max-w-xl space-y-3">
      <ProblemLine text={problem} boxed />
      <div className="grid gap-3 sm:grid-cols-3">
        <Field label="Medium" error={errors.medium?.message}>
          {(props) => <input {...props} {...register("medium")} autoComplete="off" />}
        </Field>
        <Field label="Computer" error={errors.computer?.message}>
          {(props) => <input {...props} {...register("computer")} autoComplete="off" />}
        </Field>
        <Field label="Held on" error={errors.on?.message}>
          {(props) => <input {...props} {...register("on")} type="date" max={today} />}
        </Field>
      </div>
      <fieldset>
        <legend className="font-semibold text-[0.9rem]">What came of it</legend>
        {(Object.entries(RESULTS) as [DrillValues["result"], string][]).map(([value, text]) => (
          <label key={value} className="flex items-center gap-2 py-0.5">
            <input type="radio" value={value} {...register("result")} className="size-[20px] accent-rope" />
            {text}
          </label>
        ))}
      </fieldset>
      <Field label="Note" hint="what was not as the run sheet says">
        {(props) => <textarea {...props} rows={3} {...register("note")} />}
      </Field>
      <div className="flex gap-3">
        <button type="submit" className="act-main" disabled={formState.isSubmitting}>
          {formState.isSubmitting ? "Recording …" : "Record the drill"}
        </button>
        <button type="button" className="act" onClick={() => router.back()}>
          Leave without recording
        </button>
      </div>
    </form>
  );
}
