"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import { DropField } from "@/ui/drop-field";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { plural } from "@/ui/words";
import { importCalendarAction } from "./actions";

/** Takes in a release calendar in the form of distro-info-data. */
export function CalendarForm() {
  const router = useRouter();
  const ready = useReady();
  const [file, setFile] = useState<File | null>(null);
  const [told, setTold] = useState<{ text: string; failed: boolean } | null>(null);
  const [pending, start] = useTransition();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const product = String(new FormData(form).get("product") ?? "");
    start(async () => {
      if (!file) {
        setTold({ text: "Drop the calendar's file first.", failed: true });
        return;
      }
      const result = await importCalendarAction({ product, fileName: file.name, text: await file.text() });
      if (!result.ok) {
        setTold({
          text: Object.values(fieldTexts(result.problem)).join(" ") || problemText(result.problem),
          failed: true,
        });
        return;
      }
      setTold({ text: `${plural(result.value, "release")} of ${product} imported.`, failed: false });
      setFile(null);
      form.reset();
      router.refresh();
    });
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="space-y-3">
      <h2>Import a release calendar</h2>
      <p className="text-quiet">
        CSV as Debian's distro-info-data has it (version, codename, series, created, release, eol and any further
        eol-…), as it is; the same form for products of your own.
      </p>
      <DropField onFiles={([dropped]) => setFile(dropped ?? null)} text={file ? file.name : "Drop a calendar here."} />
      <Field label="Product, as computers call it" hint="such as Kittiwake; it fits “Kittiwake Server”, too">
        {(props) => <input {...props} name="product" autoComplete="off" />}
      </Field>
      {told && (
        <p role={told.failed ? "alert" : "status"} className={told.failed ? "text-plum" : "text-quiet"}>
          {told.text}
        </p>
      )}
      <button type="submit" className="act" disabled={pending}>
        {pending ? "Importing …" : "Import calendar"}
      </button>
    </form>
  );
}
