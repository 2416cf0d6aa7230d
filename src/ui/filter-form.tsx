"use client";

import clsx from "clsx";
import { useRouter } from "next/navigation";
import { type FormEvent, useEffect, useRef } from "react";
import { useReady } from "./use-ready";

interface Choice {
  value: string;
  text: string;
}

interface FilterFormProps {
  path: string;
  text: string | undefined;
  textLabel: string;
  /** `all` is the text of the choice that filters nothing. */
  /** Parts of the address that are not in the form and stay: sorting, columns. */
  kept?: Record<string, string>;
  selects: { name: string; label: string; all?: string; value: string | undefined; choices: Choice[] }[];
}

const PAUSE_MS = 180;

/** A list's filter: what is typed answers after a short pause, what is chosen at once. The address holds it. */
export function FilterForm({ path, text, textLabel, selects, kept = {} }: FilterFormProps) {
  const router = useRouter();
  const ready = useReady();
  const form = useRef<HTMLFormElement>(null);
  const pause = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(pause.current), []);

  const apply = () => {
    clearTimeout(pause.current);
    if (!form.current) return;
    const query = new URLSearchParams(kept);
    for (const [name, value] of new FormData(form.current))
      if (typeof value === "string" && value.trim()) query.set(name, value);
    router.replace(`${path}${query.size > 0 ? `?${query}` : ""}`, { scroll: false });
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    apply();
  };
  return (
    <form ref={form} aria-busy={!ready} onSubmit={submit} className="flex flex-wrap gap-2">
      <input
        className="field min-w-40 flex-1"
        name="q"
        type="search"
        aria-label={textLabel}
        placeholder={textLabel}
        defaultValue={text}
        autoComplete="off"
        onChange={() => {
          clearTimeout(pause.current);
          pause.current = setTimeout(apply, PAUSE_MS);
        }}
      />
      {selects.map(({ name, label, all, value, choices }) => (
        <select
          key={name}
          name={name}
          aria-label={label}
          defaultValue={value ?? ""}
          className={clsx("field w-auto max-w-44", value && "border-rope bg-rope-soft font-semibold")}
          onChange={apply}
        >
          <option value="">{all ?? `${label}: all`}</option>
          {choices.map((choice) => (
            <option key={choice.value} value={choice.value}>
              {choice.text}
            </option>
          ))}
        </select>
      ))}
    </form>
  );
}
