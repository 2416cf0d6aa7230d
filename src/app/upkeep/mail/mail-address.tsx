"use client";

import { useState } from "react";
import { useShortForm } from "@/app/_parts/use-short-form";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { setMailAddressAction } from "../actions";

/** Where digests for a place or a person go, and how that is changed. */
export function MailAddress({
  kind,
  id,
  name,
  mail,
}: {
  kind: "site" | "person";
  id: number;
  name: string;
  mail: string | null;
}) {
  const [isOpen, setIsOpen] = useState(false);
  const { ready, problem, fields, act } = useShortForm(setMailAddressAction);
  if (!isOpen)
    return (
      <button
        type="button"
        className="link ml-3 text-[0.9rem]"
        aria-busy={!ready}
        aria-label={`Mail address of ${name}: ${mail ?? "none"}`}
        onClick={() => setIsOpen(true)}
      >
        {mail ?? "no address"}
      </button>
    );
  return (
    <form
      className="mt-1"
      aria-busy={!ready}
      onSubmit={async (event) => {
        event.preventDefault();
        const mail = String(new FormData(event.currentTarget).get("mail") ?? "");
        if (await act(setMailAddressAction({ kind, id, mail }))) setIsOpen(false);
      }}
    >
      <span className="flex gap-1.5">
        <input
          className="field w-52"
          name="mail"
          aria-label={`Mail address of ${name}`}
          defaultValue={mail ?? ""}
          autoComplete="off"
          // biome-ignore lint/a11y/noAutofocus: it was opened to be typed into
          autoFocus
        />
        <button type="submit" className="act">
          Save
        </button>
        <button type="button" className="act whitespace-nowrap" onClick={() => setIsOpen(false)}>
          Cancel
        </button>
      </span>
      <ProblemLine text={fields.mail ?? (problem && problemText(problem))} />
    </form>
  );
}
