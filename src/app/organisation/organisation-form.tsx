"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { fieldTexts } from "@/core/words/problems";
import type { Organisation } from "@/server/accounts/organisation";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { FormProblem } from "../_parts/form-problem";
import { RegionalFields } from "../_parts/regional-fields";
import { saveOrganisationAction } from "./actions";

export function OrganisationForm({ organisation, zones }: { organisation: Organisation; zones: string[] }) {
  const router = useRouter();
  const ready = useReady();
  const [pending, start] = useTransition();
  const [problem, setProblem] = useState<Problem | null>(null);
  const [isSaved, setSaved] = useState(false);
  const [zone, setZone] = useState(organisation.timeZone);
  const faults = fieldTexts(problem);
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const said = Object.fromEntries(new FormData(event.currentTarget));
    start(async () => {
      const result = await saveOrganisationAction(organisation.version, said);
      setProblem(result.ok ? null : result.problem);
      setSaved(result.ok);
      if (result.ok) router.refresh();
    });
  };
  return (
    <form onSubmit={submit} onChange={() => setSaved(false)} aria-busy={!ready} className="mt-4 max-w-md space-y-3">
      <Field label="Name" error={faults.name}>
        {(props) => <input {...props} name="name" defaultValue={organisation.name} autoComplete="off" />}
      </Field>
      <RegionalFields
        zones={zones}
        zone={zone}
        onZone={setZone}
        currency={organisation.currency}
        faults={{ timeZone: faults.timeZone, currency: faults.currency }}
      />
      <FormProblem problem={problem} shown={["name", "timeZone", "currency"]} />
      <div className="flex items-baseline gap-3">
        <button type="submit" className="act act-main" disabled={pending}>
          {pending ? "Saving …" : "Save"}
        </button>
        <p aria-live="polite" className="text-quiet">
          {isSaved && "Saved."}
        </p>
      </div>
    </form>
  );
}
