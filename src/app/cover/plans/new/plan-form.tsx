"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { FormProblem } from "@/app/_parts/form-problem";
import { type CoverSettings, PRICED } from "@/core/cover/result";
import { fieldTexts } from "@/core/words/problems";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { regional } from "@/ui/regional";
import { useReady } from "@/ui/use-ready";
import { startPlanAction } from "../../actions";

interface PlanFormProps {
  settings: CoverSettings;
  name: string;
  sites: string[];
  releases: string[];
}

interface PlanValues {
  name: string;
  prices: Record<string, string>;
  workHour: string;
  travelHour: string;
  writeMinutes: string;
  drillMinutes: string;
  seconds: string;
  keep: string;
  noPurchase: string[];
  without: string[];
}

const NUMBERS = [
  ["workHour", "Hour of work (cost)"],
  ["travelHour", "Hour of travel (cost)"],
  ["writeMinutes", "Writing a medium (minutes)"],
  ["drillMinutes", "Drill (minutes)"],
  ["seconds", "Time limit (seconds)"],
] as const;

/** Prices, hours, and what is decided beforehand. */
export function PlanForm({ settings, name, sites, releases }: PlanFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<Problem | null>(null);
  const { register, handleSubmit, formState } = useForm<PlanValues>({
    defaultValues: {
      name,
      prices: Object.fromEntries(PRICED.map((size) => [size, String(settings.prices[size] ?? "")])),
      ...{ workHour: String(settings.workHour), travelHour: String(settings.travelHour) },
      ...{ writeMinutes: String(settings.writeMinutes), drillMinutes: String(settings.drillMinutes) },
      ...{ seconds: String(settings.seconds), keep: settings.keep.join(" ") },
      ...{ noPurchase: settings.noPurchase, without: settings.without },
    },
  });
  const { currency } = regional();
  const fields = fieldTexts(problem);
  const submit = handleSubmit(async (values) => {
    const wrong = Object.fromEntries(
      NUMBERS.flatMap(([key]) =>
        Number.isFinite(Number(values[key])) && values[key].trim() !== "" ? [] : [[key, "A number is needed."]],
      ),
    );
    for (const size of PRICED)
      if (values.prices[size]?.trim() && !Number.isFinite(Number(values.prices[size])))
        wrong[size] = "A price is a number such as 7.50, or nothing.";
    if (Object.keys(wrong).length > 0) return setProblem({ code: "invalid", fields: wrong });
    const prices = Object.fromEntries(
      PRICED.map((size) => [size, values.prices[size]?.trim() ? Number(values.prices[size]) : null]),
    );
    const numbers = Object.fromEntries(NUMBERS.map(([key]) => [key, Number(values[key])]));
    const result = await startPlanAction({
      name: values.name,
      settings: {
        ...{ prices, ...numbers, noPurchase: values.noPurchase, without: values.without },
        keep: values.keep.split(/[\s,;]+/).filter(Boolean),
      },
    });
    if (result.ok) router.push(`/cover/plans/${result.value}`);
    else setProblem(result.problem);
  });
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-3 max-w-3xl space-y-4">
      <Field label="Name" error={fields.name} hint="Blank: its date.">
        {(props) => <input {...props} {...register("name")} autoComplete="off" />}
      </Field>
      <fieldset>
        <legend className="font-semibold">Purchase prices</legend>
        <div className="grid grid-cols-3 gap-3 sm:grid-cols-6">
          {PRICED.map((size) => (
            <Field key={size} label={size === "disc" ? "A disc" : size} error={fields[size]}>
              {(props) => <input {...props} {...register(`prices.${size}`)} inputMode="decimal" autoComplete="off" />}
            </Field>
          ))}
        </div>
        <p className="caption">{currency === null ? "" : `In ${currency}. `}Blank: not available.</p>
      </fieldset>
      <fieldset>
        <legend className="font-semibold">Labour</legend>
        <div className="grid gap-3 sm:grid-cols-3">
          {NUMBERS.map(([key, label]) => (
            <Field key={key} label={label} error={fields[key]}>
              {(props) => <input {...props} {...register(key)} inputMode="decimal" autoComplete="off" />}
            </Field>
          ))}
        </div>
      </fieldset>
      <fieldset className="space-y-3">
        <legend className="font-semibold">Constraints</legend>
        <Field label="Media that stay as they are" error={fields.keep} hint="Tags, such as RM-01 LN-02.">
          {(props) => <input {...props} {...register("keep")} className="field code" autoComplete="off" />}
        </Field>
        <div className="grid gap-4 sm:grid-cols-2">
          <Choices title="No purchases for" names={sites} register={() => register("noPurchase")} />
          <Choices title="Releases no longer made" names={releases} register={() => register("without")} />
        </div>
      </fieldset>
      <FormProblem problem={problem} shown={[...NUMBERS.map(([key]) => key), ...PRICED, "name", "keep"]} />
      <button type="submit" className="act-main" disabled={formState.isSubmitting}>
        Compute plan
      </button>
    </form>
  );
}

function Choices({ title, names, register }: { title: string; names: string[]; register: () => object }) {
  return (
    <fieldset>
      <legend className="font-semibold text-[0.9rem]">{title}</legend>
      <div className="max-h-44 overflow-y-auto rounded-sm border border-line bg-sheet px-2 py-1">
        {names.map((name) => (
          <label key={name} className="flex min-h-7 items-center gap-2">
            <input type="checkbox" value={name} {...register()} /> {name}
          </label>
        ))}
        {names.length === 0 && <p className="text-quiet">None recorded.</p>}
      </div>
    </fieldset>
  );
}
