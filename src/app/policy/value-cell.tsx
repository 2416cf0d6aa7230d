"use client";

import clsx from "clsx";
import { type KeyboardEvent, useId, useRef, useState } from "react";
import { type Inherited, type PolicyKey, type PolicyValues, PROOFS } from "@/core/cover/policy";
import { inheritedText, policyHint, policyValueText, proofTitle } from "@/core/words/policy";

export type PolicyValue = PolicyValues[PolicyKey] | undefined;

const ANY = "any";

function toText(value: PolicyValue): string {
  if (value === undefined) return "";
  if (value === null) return ANY;
  return typeof value === "boolean" ? (value ? "yes" : "no") : String(value);
}

/** What a value's text means: undefined where nothing is said, NaN where it is no whole number. */
function fromText(key: PolicyKey, text: string): PolicyValue {
  const said = text.trim().toLowerCase();
  if (said === "") return undefined;
  if (said === ANY) return null;
  if (key === "changesAllowed") return said === "yes";
  if (key === "proof") return said as PolicyValues["proof"];
  return /^\d{1,6}$/.test(said) ? Number(said) : Number.NaN;
}

interface ValueCellProps {
  name: PolicyKey;
  /** What it is of, for whoever does not see the table: "Maximum drill age for North Pier". */
  label: string;
  value: PolicyValue;
  inherits: Inherited | "varies";
  /** Gives what is wrong with it, null once it is saved. */
  save: (value: PolicyValue) => Promise<string | null>;
}

/** A value as it is read; chosen, it is edited where it stands. Enter and leaving it save, Escape gives up. */
export function ValueCell({ name, label, value, inherits, save }: ValueCellProps) {
  const [isEdited, setEdited] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const button = useRef<HTMLButtonElement>(null);
  const isLeft = useRef(false);
  const hint = useId();

  const close = (withFocus: boolean) => {
    isLeft.current = true;
    setEdited(false);
    setProblem(null);
    if (withFocus) requestAnimationFrame(() => button.current?.focus());
  };
  const finish = async (text: string, withFocus: boolean) => {
    if (isLeft.current) return;
    const next = fromText(name, text);
    if (next === value) return close(withFocus);
    if (Number.isNaN(next)) return setProblem("A whole number is needed, or “any”.");
    isLeft.current = true;
    const wrong = await save(next);
    if (wrong === null) return close(withFocus);
    isLeft.current = false;
    setProblem(wrong);
  };
  const onKey = (event: KeyboardEvent<HTMLInputElement | HTMLSelectElement>) => {
    if (event.key === "Escape") close(true);
    if (event.key === "Enter") void finish(event.currentTarget.value, true);
  };

  if (!isEdited)
    return (
      <button
        ref={button}
        type="button"
        className={clsx(
          "block min-h-6 w-full cursor-text rounded-sm px-2 py-1 text-left hover:bg-rope-soft",
          value === undefined ? "text-quiet" : "font-semibold",
        )}
        title={value !== undefined ? undefined : inherits === "varies" ? undefined : inheritedText(inherits.from)}
        onClick={() => {
          isLeft.current = false;
          setEdited(true);
        }}
      >
        <span className="sr-only">{label}: </span>
        {shownText(name, value, inherits)}
        <span className="sr-only">{value === undefined && " (inherited)"}</span>
      </button>
    );
  const field = {
    ...{ autoFocus: true, className: "field px-1.5 py-0.5", "aria-label": label, "aria-describedby": hint },
    ...{ defaultValue: toText(value), "aria-invalid": problem !== null, onKeyDown: onKey },
  };
  return (
    <span className="block min-w-28">
      {name === "proof" || name === "changesAllowed" ? (
        <select
          {...field}
          onChange={(event) => void finish(event.currentTarget.value, true)}
          onBlur={() => !isLeft.current && close(false)}
        >
          <option value="">inherited</option>
          {name === "changesAllowed" && ["yes", "no"].map((each) => <option key={each}>{each}</option>)}
          {name === "proof" &&
            PROOFS.map((proof) => (
              <option key={proof} value={proof}>
                {proofTitle(proof)}
              </option>
            ))}
        </select>
      ) : (
        <input
          {...field}
          autoComplete="off"
          onFocus={(event) => event.currentTarget.select()}
          onBlur={(event) => void finish(event.currentTarget.value, false)}
        />
      )}
      <span id={hint} className="caption block leading-tight">
        {problem ? (
          <span role="alert" className="text-plum">
            {problem}
          </span>
        ) : (
          name !== "proof" && name !== "changesAllowed" && policyHint(name)
        )}
      </span>
    </span>
  );
}

function shownText(name: PolicyKey, value: PolicyValue, inherits: Inherited | "varies"): string {
  if (value !== undefined) return policyValueText(name, value);
  return inherits === "varies" ? "varies" : policyValueText(name, inherits.value);
}
