"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { DrillResult } from "@/server/drills/drills";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { recordDrillAction } from "./actions";

interface DrillValues {
  medium: string;
  computer: string;
  on: string;
  result: DrillResult | "";
  note: string;
}

const RESULTS: Record<DrillResult, string> = {
  started: "Passed: started, disks seen",
  restored: "Passed: started, image restored to a spare disk",
  failed: "Failed",
};

export function DrillForm({ medium, computer, today }: { medium: string; computer: string; today: string }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const { register, handleSubmit, setError, formState } = useForm<DrillValues>({
    defaultValues: { medium, computer, on: today, result: "", note: "" },
  });
  const { errors } = formState;
  const save = handleSubmit(async (values) => {
    setProblem(null);
    if (values.result === "") return setError("result", { message: "Choose a result." });
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
        <Field label="Run on" error={errors.on?.message}>
          {(props) => <input {...props} {...register("on")} type="date" max={today} />}
        </Field>
      </div>
      <fieldset>
        <legend className="font-semibold text-[0.9rem]">Result</legend>
        <p className="caption">Counts as proof.</p>
        {(Object.entries(RESULTS) as [DrillResult, string][]).map(([value, text]) => (
          <label key={value} className="flex items-center gap-2 py-0.5">
            <input type="radio" value={value} {...register("result")} className="size-[20px] accent-rope" />
            {text}
          </label>
        ))}
        {errors.result && (
          <p role="alert" className="text-plum">
            {errors.result.message}
          </p>
        )}
      </fieldset>
      <Field label="Note" hint="what differed from the run sheet">
        {(props) => <textarea {...props} rows={3} {...register("note")} />}
      </Field>
      <div className="flex gap-3">
        <button type="submit" className="act-main" disabled={formState.isSubmitting}>
          {formState.isSubmitting ? "Recording …" : "Record drill"}
        </button>
        <button type="button" className="act" onClick={() => router.back()}>
          Cancel
        </button>
      </div>
    </form>
  );
}
