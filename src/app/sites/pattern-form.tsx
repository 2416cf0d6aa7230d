"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { compilePattern, nameBy, USUAL_PATTERN } from "@/core/images/names";
import { problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { setNamePatternAction } from "./actions";

const EXAMPLE = {
  ...{ computer: "HO-001", site: "Head office", system: "Gannet Desk", version: "11.4", date: "2026-10-30" },
  ...{ kind: "full", state: "with all updates" },
};

/** How images of a place's computers are called, with what comes of it. */
export function PatternForm({ siteId, version, pattern }: { siteId: number; version: number; pattern: string | null }) {
  const router = useRouter();
  const ready = useReady();
  const [value, setValue] = useState(pattern ?? "");
  const [problem, setProblem] = useState<string | undefined>(undefined);
  const compiled = compilePattern(value.trim() || USUAL_PATTERN);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    const result = await setNamePatternAction(siteId, version, value);
    setProblem(result.ok ? undefined : problemText(result.problem));
    if (result.ok) router.refresh();
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="max-w-2xl">
      <Field
        label="Image name pattern"
        error={problem}
        hint={compiled.ok ? `Example: ${nameBy(compiled.pattern, EXAMPLE)}` : undefined}
      >
        {(props) => (
          <input
            {...props}
            className="field code"
            value={value}
            placeholder={USUAL_PATTERN}
            onChange={(event) => setValue(event.target.value)}
            autoComplete="off"
          />
        )}
      </Field>
      {value.trim() !== (pattern ?? "") && (
        <button type="submit" className="act mt-1">
          Save pattern
        </button>
      )}
    </form>
  );
}
