"use client";

import { type ReactNode, useId } from "react";

interface FieldProps {
  label: string;
  hint?: string | undefined;
  error?: string | undefined;
  children: (props: {
    id: string;
    className: string;
    "aria-invalid": boolean;
    "aria-describedby": string | undefined;
  }) => ReactNode;
}

/** A labelled field with its hint, or what is wrong with it, tied to it for screen readers. */
export function Field({ label, hint, error, children }: FieldProps) {
  const id = useId();
  const told = error ?? hint;
  return (
    <div>
      <label htmlFor={id} className="mb-0.5 block font-semibold text-[0.9rem]">
        {label}
      </label>
      {children({
        id,
        className: "field",
        "aria-invalid": error !== undefined,
        "aria-describedby": told ? `${id}-told` : undefined,
      })}
      {told && (
        <p id={`${id}-told`} className={error ? "text-[0.85rem] text-plum" : "caption"}>
          {told}
        </p>
      )}
    </div>
  );
}
