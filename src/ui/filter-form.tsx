"use client";

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import clsx from "clsx";
import { useRouter } from "next/navigation";
import { type FormEvent, useEffect, useRef, useState } from "react";
import { useReady } from "./use-ready";

interface Option {
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
  selects: Select[];
}

interface Select {
  name: string;
  label: string;
  all?: string;
  value: string | undefined;
  choices: Option[];
}

/** So many filters are shown as they are; of more only those in use, the others behind a button. */
const SHOWN_MOST = 4;

const PAUSE_MS = 180;

/** A list's filter: what is typed answers after a short pause, what is chosen at once. The address holds it. */
export function FilterForm({ path, text, textLabel, selects, kept = {} }: FilterFormProps) {
  const router = useRouter();
  const ready = useReady();
  const form = useRef<HTMLFormElement>(null);
  const pause = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(pause.current), []);
  const [added, setAdded] = useState<string[]>([]);
  const isShown = ({ name, value }: Select) =>
    selects.length <= SHOWN_MOST || value !== undefined || added.includes(name);
  const shown = selects.filter(isShown);
  const more = selects.filter((select) => !isShown(select));

  const apply = () => {
    clearTimeout(pause.current);
    if (!form.current) return;
    const query = new URLSearchParams(kept);
    for (const [name, value] of new FormData(form.current))
      if (typeof value === "string" && value.trim()) query.set(name, value);
    router.replace(`${path}${query.size > 0 ? `?${query}` : ""}`, { scroll: false });
  };
  const remove = (name: string) => {
    const select = form.current?.elements.namedItem(name);
    if (select instanceof HTMLSelectElement) select.value = "";
    apply();
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
      {shown.map((select) => (
        <Choice
          key={select.name}
          {...select}
          onChange={apply}
          onRemove={select.value === undefined ? null : () => remove(select.name)}
        />
      ))}
      {more.length > 0 && (
        <Popover className="relative">
          <PopoverButton className="act">Add filter</PopoverButton>
          <PopoverPanel className="absolute left-0 z-20 mt-1 w-56 border border-line bg-sheet py-1 shadow-sm">
            {({ close }) => (
              <ul>
                {more.map(({ name, label }) => (
                  <li key={name}>
                    <button
                      type="button"
                      className="block w-full px-3 py-1.5 text-left hover:bg-sunk"
                      onClick={() => {
                        setAdded([...added, name]);
                        close();
                      }}
                    >
                      {label}
                    </button>
                  </li>
                ))}
              </ul>
            )}
          </PopoverPanel>
        </Popover>
      )}
    </form>
  );
}

/** One filter: in use it is a chip that can be taken away. */
function Choice({
  name,
  label,
  all,
  value,
  choices,
  onChange,
  onRemove,
}: Select & { onChange: () => void; onRemove: (() => void) | null }) {
  return (
    <span className={clsx("inline-flex items-stretch", onRemove && "border border-rope bg-rope-soft")}>
      <select
        name={name}
        aria-label={label}
        defaultValue={value ?? ""}
        className={clsx("field w-auto max-w-44", onRemove && "border-0 bg-transparent font-semibold")}
        onChange={onChange}
      >
        <option value="">{all ?? `${label}: all`}</option>
        {choices.map((choice) => (
          <option key={choice.value} value={choice.value}>
            {choice.text}
          </option>
        ))}
      </select>
      {onRemove && (
        <button type="button" className="px-2.5 font-bold" aria-label={`Remove filter ${label}`} onClick={onRemove}>
          ×
        </button>
      )}
    </span>
  );
}
