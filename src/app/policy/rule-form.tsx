"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { FormProblem } from "@/app/_parts/form-problem";
import {
  POLICY_KEYS,
  type PolicyKey,
  type PolicyValues,
  PROOFS,
  SCOPES,
  type Scope,
  USUAL_VALUES,
} from "@/core/cover/policy";
import { POLICY_TITLES, policyUnit, policyValueText, proofTitle, scopeTitle } from "@/core/words/policy";
import { fieldTexts } from "@/core/words/problems";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { saveRuleAction } from "./actions";

interface RuleFormProps {
  scope: Scope;
  target: string;
  known: { values: Partial<PolicyValues>; version: number } | null;
  places: string[];
  forms: string[];
}

/** Of places, not of computers: a rule for a computer does not say them. */
const OF_PLACES: readonly PolicyKey[] = ["spares", "stocktakeDays"];
const ANY = "any";

type RuleValues = Record<PolicyKey, string> & { target: string };

function toText(value: PolicyValues[PolicyKey] | undefined): string {
  if (value === undefined) return "";
  if (value === null) return ANY;
  return typeof value === "boolean" ? (value ? "yes" : "no") : String(value);
}

/** What a value's text means: undefined where nothing is said, NaN where it is no number. */
function fromText(key: PolicyKey, text: string): PolicyValues[PolicyKey] | undefined {
  const said = text.trim().toLowerCase();
  if (said === "") return undefined;
  if (said === ANY) return null as PolicyValues[PolicyKey];
  if (key === "changesAllowed") return said === "yes";
  if (key === "proof") return said as PolicyValues["proof"];
  return Number(said);
}

/** A rule: for whom, and what it says; what is left empty it does not say. */
export function RuleForm({ scope, target, known, places, forms }: RuleFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<Problem | null>(null);
  const { register, handleSubmit } = useForm<RuleValues>({
    defaultValues: {
      target: target || firstOf(scope, places, forms),
      ...(Object.fromEntries(POLICY_KEYS.map((key) => [key, toText(known?.values[key])])) as Record<PolicyKey, string>),
    },
  });
  const keys = POLICY_KEYS.filter((key) => scope === "everywhere" || scope === "site" || !OF_PLACES.includes(key));
  const fields = fieldTexts(problem);
  const errorOf = (key: string) => fields[key] ?? fields[`values.${key}`];
  const submit = handleSubmit(async (values) => {
    const said = Object.fromEntries(
      keys.flatMap((key) => {
        const value = fromText(key, values[key]);
        return value === undefined ? [] : [[key, value]];
      }),
    );
    const wrong = Object.fromEntries(
      Object.entries(said).flatMap(([key, value]) =>
        Number.isNaN(value) ? [[key, "A whole number is needed, or “any”."]] : [],
      ),
    );
    if (Object.keys(wrong).length > 0) return setProblem({ code: "invalid", fields: wrong });
    const result = await saveRuleAction({ scope, target: values.target ?? "", values: said }, known?.version ?? null);
    if (!result.ok) return setProblem(result.problem);
    setProblem(null);
    router.push("/policy");
    router.refresh();
  });
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
      <h2>{known ? "Edit rule" : "Add rule"}</h2>
      <Field label="For">
        {(props) => (
          <select {...props} value={scope} onChange={(event) => router.push(`/policy?scope=${event.target.value}`)}>
            {SCOPES.map((each) => (
              <option key={each} value={each}>
                {each === "everywhere" ? "All computers" : scopeTitle(each)}
              </option>
            ))}
          </select>
        )}
      </Field>
      {scope !== "everywhere" && (
        <Field label={TARGET_LABELS[scope]} error={fields.target}>
          {(props) =>
            scope === "site" || scope === "form" ? (
              <select
                {...props}
                {...register("target")}
                // Rules for it that exist already are shown before they are changed.
                onChange={(event) =>
                  router.push(`/policy?${new URLSearchParams({ scope, target: event.target.value })}`)
                }
              >
                {(scope === "site" ? places : forms).map((name) => (
                  <option key={name}>{name}</option>
                ))}
              </select>
            ) : (
              <input {...props} {...register("target")} autoComplete="off" />
            )
          }
        </Field>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_8.5rem] items-baseline gap-x-3 gap-y-1.5">
        {keys.map((key) => (
          <ValueField key={key} name={key} error={errorOf(key)} register={register(key)} />
        ))}
      </div>
      <p className="caption">Blank: inherited. 0: none required. “any”: no limit on age or travel time.</p>
      <FormProblem problem={problem} shown={["target", ...POLICY_KEYS, ...POLICY_KEYS.map((key) => `values.${key}`)]} />
      <button type="submit" className="act-main">
        {known ? "Save rule" : "Save rule"}
      </button>
    </form>
  );
}

function firstOf(scope: Scope, places: readonly string[], forms: readonly string[]): string {
  if (scope === "site") return places[0] ?? "";
  return scope === "form" ? (forms[0] ?? "") : "";
}

const TARGET_LABELS: Record<Exclude<Scope, "everywhere">, string> = {
  site: "Site",
  form: "Form factor",
  model: "Make and model, such as Ostrel Block 9",
  computer: "Tag",
};

function ValueField({ name, error, register }: { name: PolicyKey; error: string | undefined; register: object }) {
  const id = `policy-${name}`;
  const props = {
    ...{ id, className: "field", "aria-invalid": error !== undefined, ...register },
    "aria-describedby": error ? `${id}-told` : undefined,
  };
  const usual = policyValueText(name, USUAL_VALUES[name]);
  return (
    <>
      <label htmlFor={id}>
        {POLICY_TITLES[name]}
        {policyUnit(name) && ` (${policyUnit(name)})`}
      </label>
      {name === "proof" ? (
        <select {...props}>
          <option value="">inherited</option>
          {PROOFS.map((proof) => (
            <option key={proof} value={proof}>
              {proofTitle(proof)}
            </option>
          ))}
        </select>
      ) : name === "changesAllowed" ? (
        <select {...props}>
          <option value="">inherited</option>
          <option value="yes">yes</option>
          <option value="no">no</option>
        </select>
      ) : (
        <input {...props} autoComplete="off" placeholder={usual} />
      )}
      {error && (
        <p id={`${id}-told`} className="col-span-2 text-[0.85rem] text-plum">
          {error}
        </p>
      )}
    </>
  );
}
