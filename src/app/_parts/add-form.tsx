"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";

interface AddFormProps {
  title: string;
  fields: { name: string; label: string; type?: string; choices?: { value: string; text: string }[] }[];
  /** Fixed values that go along. */
  fixed?: Record<string, unknown>;
  onAdd: (input: Record<string, unknown>) => Promise<Result<number>>;
}

/** A few fields and an act, for the small lists. */
export function AddForm({ title, fields, fixed = {}, onAdd }: AddFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [pending, start] = useTransition();
  const [problem, setProblem] = useState<string | null>(null);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const values: Record<string, unknown> = { ...fixed };
    for (const { name, choices } of fields) {
      const value = String(new FormData(form).get(name) ?? "");
      values[name] = choices ? Number(value) : value.trim() === "" && name !== "name" ? null : value;
    }
    start(async () => {
      const result = await onAdd(values);
      setProblem(result.ok ? null : problemText(result.problem));
      if (result.ok) {
        form.reset();
        router.refresh();
      }
    });
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="max-w-md space-y-3">
      <h2>{title}</h2>
      {fields.map(({ name, label, type = "text", choices }) => (
        <Field key={name} label={label}>
          {(props) =>
            choices ? (
              <select {...props} name={name}>
                {choices.map(({ value, text }) => (
                  <option key={value} value={value}>
                    {text}
                  </option>
                ))}
              </select>
            ) : (
              <input {...props} name={name} type={type} autoComplete="off" />
            )
          }
        </Field>
      ))}
      <ProblemLine text={problem} />
      <button type="submit" className="act" disabled={pending}>
        {pending ? "Saving …" : title}
      </button>
    </form>
  );
}
