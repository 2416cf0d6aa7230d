"use client";

import { useState, useTransition } from "react";
import { FORMS } from "@/core/computer/facts/schema";
import { problemText } from "@/core/words/problems";
import type { BulkChange, BulkPreview, Selection } from "@/server/computers/bulk";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { plural } from "@/ui/words";
import { bulkChangeAction, previewBulkAction } from "./actions";

type FieldName = BulkChange["field"];

const TITLES: Record<FieldName, string> = {
  siteId: "Site",
  form: "Form factor",
  make: "Make",
  model: "Model",
  firmwareVersion: "Firmware's version",
  legacyMode: "Legacy mode",
  secureBoot: "Secure Boot",
  fastBoot: "Fast boot",
  usbStart: "Start from USB",
  setupKey: "Setup key",
  startMenuKey: "Boot menu key",
  retired: "In service",
};
const ON_OFF = ["on", "off"];
const CHOICES: Partial<Record<FieldName, readonly string[]>> = {
  form: FORMS,
  legacyMode: [...ON_OFF, "absent", "both"],
  secureBoot: [...ON_OFF, "setup", "absent"],
  fastBoot: ON_OFF,
  usbStart: ON_OFF,
};

/** One thing set on many: chosen, shown as it will be, then done; it can be undone from the list. */
export function BulkPanel({
  selection,
  sites,
  onDone,
  onLeave,
}: {
  selection: Selection;
  sites: { id: number; name: string }[];
  onDone: () => void;
  onLeave: () => void;
}) {
  const [field, setField] = useState<FieldName>("siteId");
  const [value, setValue] = useState("");
  const [preview, setPreview] = useState<BulkPreview | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, start] = useTransition();

  const change = (): unknown => {
    if (field === "retired") return { field, value: value === "retired" };
    if (value === "") return { field, value: null };
    return { field, value: field === "siteId" ? Number(value) : value };
  };
  const valueText = (each: unknown) =>
    each === null || each === ""
      ? "not recorded"
      : field === "siteId"
        ? (sites.find((site) => site.id === Number(each))?.name ?? String(each))
        : typeof each === "boolean"
          ? each
            ? "retired"
            : "in service"
          : String(each);
  const choose = (next: Partial<{ field: FieldName; value: string }>) => {
    if (next.field !== undefined) {
      setField(next.field);
      setValue(next.field === "retired" ? "retired" : "");
    }
    if (next.value !== undefined) setValue(next.value);
    setPreview(null);
    setProblem(null);
  };
  const look = () =>
    start(async () => {
      const result = await previewBulkAction(selection, change());
      setProblem(result.ok ? null : problemText(result.problem));
      setPreview(result.ok ? result.value : null);
    });
  const act = () =>
    start(async () => {
      const result = await bulkChangeAction(selection, change());
      if (result.ok) onDone();
      else setProblem(problemText(result.problem));
    });
  const options =
    field === "siteId"
      ? [{ value: "", text: "not recorded" }, ...sites.map((site) => ({ value: String(site.id), text: site.name }))]
      : field === "retired"
        ? [
            { value: "retired", text: "retired" },
            { value: "back", text: "returned to service" },
          ]
        : CHOICES[field] && [
            { value: "", text: "not recorded" },
            ...CHOICES[field].map((each) => ({ value: each, text: each })),
          ];

  return (
    <div className="mt-3 max-w-3xl border-rope border-t pt-3">
      <div className="flex flex-wrap items-end gap-3">
        <Field label="What">
          {(props) => (
            <select {...props} value={field} onChange={(event) => choose({ field: event.target.value as FieldName })}>
              {Object.entries(TITLES).map(([name, title]) => (
                <option key={name} value={name}>
                  {title}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="To">
          {(props) =>
            options ? (
              <select {...props} value={value} onChange={(event) => choose({ value: event.target.value })}>
                {options.map((option) => (
                  <option key={option.value} value={option.value}>
                    {option.text}
                  </option>
                ))}
              </select>
            ) : (
              <input {...props} value={value} onChange={(event) => choose({ value: event.target.value })} />
            )
          }
        </Field>
        <button type="button" className="act" disabled={pending} onClick={look}>
          {pending && !preview ? "Checking …" : "Preview changes"}
        </button>
        <button type="button" className="act" onClick={onLeave}>
          Cancel
        </button>
      </div>
      <ProblemLine text={problem} className="mt-2" />
      {preview && (
        <div className="mt-3">
          <p>
            {preview.changes === 0
              ? `All ${plural(preview.chosen, "computer")} already match: nothing would change.`
              : `${plural(preview.changes, "computer")} of ${preview.chosen.toLocaleString("en-GB")} would change.`}{" "}
            Now: {preview.now.map(({ value: each, count }) => `${valueText(each)} (${count})`).join(", ")}.
          </p>
          {preview.sample.length > 0 && (
            <ul className="mt-1">
              {preview.sample.map(({ tag, before, after }) => (
                <li key={tag}>
                  <span className="code font-bold">{tag}</span>: {valueText(before)} →{" "}
                  <strong>{valueText(after)}</strong>
                </li>
              ))}
              {preview.changes > preview.sample.length && (
                <li className="caption">and {plural(preview.changes - preview.sample.length, "other")}</li>
              )}
            </ul>
          )}
          {preview.changes > 0 && (
            <button type="button" className="act-main mt-3" disabled={pending} onClick={act}>
              {pending ? "Changing …" : `Change ${plural(preview.changes, "computer")}`}
            </button>
          )}
        </div>
      )}
    </div>
  );
}
