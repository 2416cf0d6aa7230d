"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useFieldArray, useForm } from "react-hook-form";
import { ABILITIES, PURPOSES, type Purpose } from "@/core/medium/releases/facts";
import { problemText } from "@/core/words/problems";
import { abilityText, purposeText } from "@/core/words/releases";
import type { ReleaseInput } from "@/server/media/releases";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { addReleaseAction, saveReleaseAction } from "./actions";

export interface ReleaseFormProps {
  opened: (ReleaseInput & { id: number; version: number }) | null;
  kits: { id: number; name: string }[];
  /** Releases that could supersede this one. */
  others: { id: number; text: string }[];
  /** What the file itself suggests for a new release. */
  suggested?: Partial<Pick<ReleaseValues, "name" | "madeOn">> & { purposes?: Purpose[] };
  /** Keeps what was read and gives its id, just before a new release is saved. */
  keep?: () => Promise<{ ok: true; id: number } | { ok: false; problem: string }>;
}

interface ReleaseValues {
  kitId: string;
  name: string;
  madeOn: string;
  note: string;
  purposes: string[];
  opens: { kit: string; upTo: string }[];
  abilities: string[];
  factoryMake: string;
  factoryModel: string;
  supersededById: string;
}

export function ReleaseForm({ opened, kits, others, suggested, keep }: ReleaseFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const { register, handleSubmit, control, watch, formState } = useForm<ReleaseValues>({
    defaultValues: {
      kitId: String(opened?.kitId ?? kits[0]?.id ?? ""),
      name: opened?.name ?? suggested?.name ?? "",
      madeOn: opened?.madeOn ?? suggested?.madeOn ?? "",
      note: opened?.note ?? "",
      purposes: opened?.facts?.purposes ?? suggested?.purposes ?? [],
      opens: (opened?.facts?.opens ?? []).map(({ kit, upTo }) => ({ kit, upTo: upTo ?? "" })),
      abilities: opened?.facts?.abilities ?? [],
      factoryMake: opened?.facts?.factoryOf?.make ?? "",
      factoryModel: opened?.facts?.factoryOf?.model ?? "",
      supersededById: opened?.supersededById?.toString() ?? "",
    },
  });
  const { fields, append, remove } = useFieldArray({ control, name: "opens" });
  const save = handleSubmit(async (values) => {
    setProblem(null);
    let inspectionId = opened?.inspectionId ?? null;
    if (keep) {
      const kept = await keep();
      if (!kept.ok) return setProblem(kept.problem);
      inspectionId = kept.id;
    }
    const input = {
      kitId: Number(values.kitId),
      name: values.name,
      madeOn: values.madeOn || null,
      note: values.note,
      facts: {
        purposes: values.purposes,
        opens: values.opens
          .filter(({ kit }) => kit.trim() !== "")
          .map(({ kit, upTo }) => ({ kit, upTo: upTo.trim() || null })),
        abilities: values.abilities,
        factoryOf:
          values.purposes.includes("factory-state") && values.factoryMake.trim() !== ""
            ? { make: values.factoryMake, model: values.factoryModel }
            : null,
      },
      inspectionId,
      supersededById: values.supersededById === "" ? null : Number(values.supersededById),
    };
    const result = opened ? await saveReleaseAction(opened.id, opened.version, input) : await addReleaseAction(input);
    if (!result.ok) return setProblem(problemText(result.problem));
    router.push(`/releases/${opened?.id ?? result.value}`);
    router.refresh();
  });
  if (kits.length === 0) return <p>A release belongs to a kit. Add the kit first under Kits.</p>;
  const isFactory = watch("purposes").includes("factory-state");
  const opensImages = watch("purposes").includes("put-back-images");
  return (
    <form onSubmit={save} aria-busy={!ready} className="max-w-xl space-y-3">
      <div className="grid gap-3 sm:grid-cols-3">
        <Field label="Kit">
          {(props) => (
            <select {...props} {...register("kitId")}>
              {kits.map((kit) => (
                <option key={kit.id} value={kit.id}>
                  {kit.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Version">{(props) => <input {...props} {...register("name")} autoComplete="off" />}</Field>
        <Field label="Made on">{(props) => <input {...props} {...register("madeOn")} type="date" />}</Field>
      </div>
      <fieldset>
        <legend className="font-semibold">Abilities</legend>
        <div className="grid gap-x-4 sm:grid-cols-2">
          {PURPOSES.map((purpose) => (
            <label key={purpose} className="flex items-center gap-2 py-0.5">
              <input type="checkbox" value={purpose} {...register("purposes")} />
              {purposeText(purpose)}
            </label>
          ))}
        </div>
      </fieldset>
      {opensImages && (
        <fieldset>
          <legend className="font-semibold">Images it opens</legend>
          {fields.map((field, index) => (
            <div key={field.id} className="mb-2 flex flex-wrap items-end gap-2">
              <Field label="Kit">
                {(props) => (
                  <input {...props} {...register(`opens.${index}.kit`)} list="kit-names" autoComplete="off" />
                )}
              </Field>
              <Field label="up to version">
                {(props) => <input {...props} {...register(`opens.${index}.upTo`)} autoComplete="off" />}
              </Field>
              <button type="button" className="act" onClick={() => remove(index)}>
                Remove
              </button>
            </div>
          ))}
          <datalist id="kit-names">
            {kits.map((kit) => (
              <option key={kit.id} value={kit.name} />
            ))}
          </datalist>
          <button type="button" className="act" onClick={() => append({ kit: "", upTo: "" })}>
            Add a kit
          </button>
          <div className="mt-2">
            {ABILITIES.map((ability) => (
              <label key={ability} className="flex items-center gap-2 py-0.5">
                <input type="checkbox" value={ability} {...register("abilities")} />
                {abilityText(ability)}
              </label>
            ))}
          </div>
        </fieldset>
      )}
      {isFactory && (
        <fieldset className="grid gap-3 sm:grid-cols-2">
          <legend className="mb-1 font-semibold">Model it restores</legend>
          <Field label="Make">{(props) => <input {...props} {...register("factoryMake")} autoComplete="off" />}</Field>
          <Field label="Model">
            {(props) => <input {...props} {...register("factoryModel")} autoComplete="off" />}
          </Field>
        </fieldset>
      )}
      <Field label="Superseded by">
        {(props) => (
          <select {...props} {...register("supersededById")}>
            <option value="">not superseded</option>
            {others.map((other) => (
              <option key={other.id} value={other.id}>
                {other.text}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Note">{(props) => <textarea {...props} {...register("note")} rows={3} />}</Field>
      <ProblemLine text={problem} boxed />
      <button type="submit" className="act-main" disabled={formState.isSubmitting}>
        {formState.isSubmitting ? "Saving …" : opened ? "Save release" : "Save as release"}
      </button>
    </form>
  );
}
