"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { addKitAction, saveKitAction } from "./actions";

interface KitFormProps {
  opened: { id: number; version: number; name: string; family: string | null; purpose: string | null } | null;
}

export function KitForm({ opened }: KitFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [pending, start] = useTransition();
  const [problem, setProblem] = useState<string | null>(null);
  const [saved, setSaved] = useState(false);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const input = Object.fromEntries(new FormData(form));
    start(async () => {
      const result = opened ? await saveKitAction(opened.id, opened.version, input) : await addKitAction(input);
      setProblem(result.ok ? null : problemText(result.problem));
      setSaved(result.ok);
      if (!result.ok) return;
      if (!opened) form.reset();
      router.refresh();
    });
  };
  return (
    <form key={opened?.version} onSubmit={submit} aria-busy={!ready} className="max-w-md space-y-3">
      <h2>{opened ? `The kit ${opened.name}` : "Add a kit"}</h2>
      <Field label="Name">
        {(props) => <input {...props} name="name" autoComplete="off" defaultValue={opened?.name ?? ""} />}
      </Field>
      <Field label="Family, such as Linux or PE">
        {(props) => <input {...props} name="family" autoComplete="off" defaultValue={opened?.family ?? ""} />}
      </Field>
      <Field label="Purpose">
        {(props) => <input {...props} name="purpose" autoComplete="off" defaultValue={opened?.purpose ?? ""} />}
      </Field>
      <ProblemLine text={problem} />
      <button type="submit" className="act" disabled={pending}>
        {pending ? "Saving …" : opened ? "Save kit" : "Add a kit"}
      </button>
      {saved && !problem && opened && <span className="ml-3 text-quiet">Saved.</span>}
    </form>
  );
}
