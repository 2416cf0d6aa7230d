"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { saveKeyCardAction } from "./actions";

interface CardFormProps {
  make: string;
  model: string;
  /** Make and model are those of computers that are there. */
  fixed: boolean;
  card: {
    id: number;
    version: number;
    setup: string | null;
    startMenu: string | null;
    save: string | null;
    quirks: string | null;
    diskFit: string | null;
  } | null;
}

/** The card of one make and model. */
export function CardForm({ make, model, fixed, card }: CardFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [told, setTold] = useState<{ text: string; failed: boolean } | null>(null);
  const [pending, start] = useTransition();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const values = Object.fromEntries(new FormData(event.currentTarget));
    start(async () => {
      const result = await saveKeyCardAction(card && { id: card.id, version: card.version }, {
        make,
        model,
        ...values,
      });
      setTold(
        result.ok
          ? { text: "Saved for all computers of this model.", failed: false }
          : { text: problemText(result.problem), failed: true },
      );
      // Also where somebody else was faster: the next save then goes over what is there now.
      router.refresh();
    });
  };
  const fields = [
    ["setup", "Setup key", "Delete, F2 …"],
    ["startMenu", "Boot menu key", "F12, F11, F8, F9, Esc …"],
    ["save", "Save key in setup", "F10 …"],
  ] as const;
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3 xl:sticky xl:top-4">
      <h2>{fixed ? `Boot keys of ${make} ${model}` : "New card"}</h2>
      {!fixed && (
        <>
          <Field label="Make">
            {(props) => <input {...props} name="make" defaultValue={make} autoComplete="off" />}
          </Field>
          <Field label="Model">
            {(props) => <input {...props} name="model" defaultValue={model} autoComplete="off" />}
          </Field>
        </>
      )}
      {fields.map(([name, label, hint]) => (
        <Field key={name} label={label}>
          {(props) => (
            <input {...props} name={name} defaultValue={card?.[name] ?? ""} placeholder={hint} autoComplete="off" />
          )}
        </Field>
      ))}
      <Field label="Quirks" hint="A port that does not start, a switch, who knows the password.">
        {(props) => <textarea {...props} name="quirks" rows={4} defaultValue={card?.quirks ?? ""} />}
      </Field>
      <Field label="Disk fitting" hint="Slots and their kind, which are free, screws and caddies.">
        {(props) => (
          <textarea
            {...props}
            name="diskFit"
            rows={2}
            defaultValue={card?.diskFit ?? ""}
            placeholder="One M.2 2280 NVMe slot; screw T5; no second slot …"
          />
        )}
      </Field>
      {told && (
        <p role={told.failed ? "alert" : "status"} className={told.failed ? "text-plum" : "text-quiet"}>
          {told.text}
        </p>
      )}
      <button type="submit" className="act-main" disabled={pending}>
        {pending ? "Saving …" : "Save card"}
      </button>
    </form>
  );
}
