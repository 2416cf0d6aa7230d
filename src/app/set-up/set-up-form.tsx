"use client";

import { type FormEvent, useEffect, useState } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";
import { RegionalFields } from "../_parts/regional-fields";
import { setUpAction } from "./actions";

interface Asked {
  name: string;
  label: string;
  type?: string;
  autoComplete?: string;
}

const OF_ORGANISATION: Asked[] = [
  { name: "organisation", label: "Name of the organisation", autoComplete: "organization" },
  { name: "site", label: "First site, such as a building, shop or vessel" },
];
const OF_ADMINISTRATOR: Asked[] = [
  { name: "name", label: "Your name", autoComplete: "name" },
  { name: "mail", label: "Mail address", type: "email", autoComplete: "username" },
  { name: "password", label: "Password, at least 12 characters", type: "password", autoComplete: "new-password" },
  { name: "again", label: "The same password again", type: "password", autoComplete: "new-password" },
];

/** The first organisation, site and administrator; whoever made them is signed in. */
export function SetUpForm({ code, zones }: { code: string; zones: string[] }) {
  const ready = useReady();
  const [pending, setPending] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [zone, setZone] = useState("UTC");
  // The zone of whoever sits here is the likeliest one.
  useEffect(() => setZone(Intl.DateTimeFormat().resolvedOptions().timeZone), []);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const said = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
    const { again, ...told } = said;
    setFaults({});
    setProblem(null);
    if (again !== told.password) return setFaults({ again: "The two passwords differ." });
    setPending(true);
    const result = await setUpAction({ ...told, code });
    if (!result.ok) {
      setPending(false);
      const fields = fieldTexts(result.problem);
      setFaults(fields);
      if (Object.keys(fields).length === 0) setProblem(problemText(result.problem));
      return;
    }
    await ask("/sign-in/email", { email: result.value, password: told.password });
    window.location.assign("/");
  };
  const fields = (asked: Asked[]) =>
    asked.map(({ name, label, type = "text", autoComplete = "off" }) => (
      <Field key={name} label={label} error={faults[name]}>
        {(props) => <input {...props} name={name} type={type} autoComplete={autoComplete} required />}
      </Field>
    ));
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
      <h2>Organisation</h2>
      {fields(OF_ORGANISATION)}
      <RegionalFields
        zones={zones}
        zone={zone}
        onZone={setZone}
        currency="EUR"
        faults={{ timeZone: faults.timeZone, currency: faults.currency }}
      />
      <h2 className="pt-3">Administrator</h2>
      {fields(OF_ADMINISTRATOR)}
      <ProblemLine text={problem} />
      <button type="submit" className="act act-main" disabled={pending}>
        {pending ? "Setting up …" : "Set up"}
      </button>
    </form>
  );
}
