"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { SCOPES, type Scope } from "@/core/cover/policy";
import { scopeTitle } from "@/core/words/policy";
import { useReady } from "@/ui/use-ready";

const TARGET_LABELS: Record<Exclude<Scope, "everywhere">, string> = {
  site: "Site",
  form: "Form factor",
  model: "Make and model, such as Ostrel Block 9",
  computer: "Tag",
};

/** Opens one more column: for a site, a form factor, a model or one computer. */
export function AddRule({ sites, forms }: { sites: string[]; forms: string[] }) {
  const router = useRouter();
  const ready = useReady();
  const [scope, setScope] = useState<Exclude<Scope, "everywhere">>("site");
  const choices = { site: sites, form: forms, model: null, computer: null }[scope];
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const target = String(new FormData(event.currentTarget).get("target") ?? "").trim();
    if (target) router.push(`/policy?${new URLSearchParams({ scope, target })}`);
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="flex flex-wrap items-end gap-3">
      <label>
        <span className="block font-semibold text-[0.9rem]">Add rule for a</span>
        <select
          className="field w-auto"
          value={scope}
          onChange={(event) => setScope(event.target.value as Exclude<Scope, "everywhere">)}
        >
          {SCOPES.filter((each) => each !== "everywhere").map((each) => (
            <option key={each} value={each}>
              {scopeTitle(each).toLowerCase()}
            </option>
          ))}
        </select>
      </label>
      <span key={scope}>
        <label className="block font-semibold text-[0.9rem]" htmlFor="rule-target">
          {TARGET_LABELS[scope]}
        </label>
        {choices ? (
          <select id="rule-target" className="field w-auto" name="target">
            {choices.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        ) : (
          <input id="rule-target" className="field w-64" name="target" autoComplete="off" required />
        )}
      </span>
      <button type="submit" className="act">
        Add column
      </button>
    </form>
  );
}
