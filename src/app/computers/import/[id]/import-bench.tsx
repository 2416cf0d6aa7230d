"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { importTroubleText, problemText } from "@/core/words/problems";
import type { ImportOptions, ImportReport, ImportView } from "@/server/exchange/options";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { plural } from "@/ui/words";
import { useJob } from "../../../_lib/use-progress";
import { startImportAction } from "../actions";
import { IMPORT_STATE_TEXT } from "../states";
import { Mapping } from "./mapping";
import { Report } from "./report";

const DELIMITERS = [
  { value: "", text: "the one that fits" },
  { value: ",", text: "comma" },
  { value: ";", text: "semicolon" },
  { value: "\t", text: "tab" },
  { value: "|", text: "bar" },
];
const ENCODING_TEXT = {
  "utf-8": "UTF-8",
  "utf-16le": "UTF-16",
  "utf-16be": "UTF-16, big-endian",
  "windows-1252": "Windows-1252 (older spreadsheets)",
};
/** How many of its rows were gone through. */
type Gone = { done: number; total: number };
const WORKING: ImportView["state"][] = ["checking", "running", "cancelling"];

/** One table on its way in: how it is read, what its columns are, what the rows will be, and the act. */
export function ImportBench({ view, columns }: { view: ImportView; columns: { key: string; title: string }[] }) {
  const router = useRouter();
  const ready = useReady();
  const [options, setOptions] = useState<ImportOptions>(view.options);
  /** Whether something was chosen otherwise since the rows were gone through. */
  const [isOther, setOther] = useState(false);
  const [refusal, setRefusal] = useState<string | null>(null);
  const [asked, setAsked] = useState<"check" | "run" | null>(null);
  const [progress, setProgress] = useState<Gone | null>(null);
  const [since, setSince] = useState(0);
  const [isCancelling, setCancelling] = useState(false);
  const doing = asked === null ? view.state : asked === "run" ? "running" : "checking";
  const state = isCancelling ? "cancelling" : doing;
  const busy = asked !== null || WORKING.includes(view.state);
  const report = isOther || busy ? null : view.report;
  const problem = refusal ?? (isOther || busy ? null : view.problem && importTroubleText(view.problem));
  const mapping =
    options.mapping?.length === view.table?.header.length ? options.mapping : (view.table?.mapping ?? null);

  // While the server works: how far it is. A page that is opened anew finds its way back into it.
  useJob(
    { kind: "import", field: "import", value: view.id, isListening: busy },
    () => {
      setAsked(null);
      setCancelling(false);
      router.refresh();
    },
    (job) => setProgress(job.progress),
  );

  const set = (more: Partial<ImportOptions>) => {
    setOptions((before) => ({ ...before, ...more }));
    setOther(true);
    setRefusal(null);
  };
  const work = async (what: "check" | "run", wanted: ImportOptions = { ...options, mapping }) => {
    setRefusal(null);
    setProgress(null);
    setSince(Date.now());
    try {
      const result = await startImportAction(view.id, wanted, what);
      if (!result.ok) return setRefusal(problemText(result.problem));
      setOther(false);
      setAsked(what);
    } catch {
      setRefusal("No answer from the server. Reload this page to see whether the import has started.");
    }
  };
  const reread = (more: Partial<ImportOptions>) => {
    // Another delimiter or encoding makes other columns: they are guessed anew by the check.
    const next = { ...options, ...more, mapping: null };
    setOptions(next);
    return work("check", next);
  };

  if (view.state === "done")
    return (
      <section className="mt-3">
        <p className="text-lg">
          Imported: {view.report ? countsText(view.report) : plural(view.total, "row")}.{" "}
          <Link className="link" prefetch={false} href="/computers">
            See the computers
          </Link>
        </p>
        {view.report && view.report.keptByHand > 0 && (
          <p className="text-quiet">
            {plural(view.report.keptByHand, "fact")} set by hand {view.report.keptByHand === 1 ? "was" : "were"} kept.
          </p>
        )}
      </section>
    );
  return (
    <div aria-busy={!ready}>
      <p className="mt-1 text-quiet">{IMPORT_STATE_TEXT[state]}</p>
      <ProblemLine text={problem} boxed className="mt-2 max-w-4xl" />
      {view.table && (
        <>
          <div className="mt-3 flex flex-wrap items-end gap-4">
            <Field label="Delimiter">
              {(props) => (
                <select
                  {...props}
                  value={options.delimiter ?? ""}
                  disabled={busy}
                  onChange={(event) => reread({ delimiter: event.target.value || null })}
                >
                  {DELIMITERS.map(({ value, text }) => (
                    <option key={text} value={value}>
                      {text}
                    </option>
                  ))}
                  {options.delimiter && !DELIMITERS.some(({ value }) => value === options.delimiter) && (
                    <option value={options.delimiter}>“{options.delimiter}”</option>
                  )}
                </select>
              )}
            </Field>
            <Field label="or any other">
              {(props) => (
                <input
                  {...props}
                  className="field w-16"
                  maxLength={1}
                  disabled={busy}
                  autoComplete="off"
                  onChange={(event) => event.target.value && reread({ delimiter: event.target.value })}
                />
              )}
            </Field>
            <Field label="Encoding">
              {(props) => (
                <select
                  {...props}
                  value={options.encoding}
                  disabled={busy}
                  onChange={(event) => reread({ encoding: event.target.value as ImportOptions["encoding"] })}
                >
                  {Object.entries(ENCODING_TEXT).map(([value, text]) => (
                    <option key={value} value={value}>
                      {text}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          </div>
          <Mapping
            view={view}
            mapping={mapping ?? []}
            columns={columns}
            disabled={busy}
            onChange={(next) => set({ mapping: next })}
          />
        </>
      )}
      <fieldset className="mt-4 space-y-1" disabled={busy}>
        <legend className="sr-only">Options</legend>
        <Choice
          checked={options.addSites}
          onChange={(addSites) => set({ addSites })}
          text="Add sites that are not recorded yet"
        />
        {view.table && (
          <Choice
            checked={options.emptyClears}
            onChange={(emptyClears) => set({ emptyClears })}
            text="Empty cells clear what is recorded (otherwise they leave it)"
          />
        )}
        <Choice
          checked={options.overHand}
          onChange={(overHand) => set({ overHand })}
          text="Also replace facts that were set by hand"
        />
      </fieldset>
      <div className="mt-4 flex flex-wrap items-center gap-3">
        <button type="button" className="act" disabled={busy} onClick={() => work("check")}>
          {asked === "check" ? "Checking …" : "Check every row"}
        </button>
        <button
          type="button"
          className="act-main"
          disabled={busy || !report || report.faultsTotal > 0 || report.added + report.changed === 0}
          onClick={() => work("run")}
        >
          {asked === "run"
            ? "Importing …"
            : report && report.faultsTotal === 0
              ? `Import ${countsText(report)}`
              : "Import"}
        </button>
        {busy && (
          <>
            <Progress progress={progress} since={since} />
            <button
              type="button"
              className="act"
              onClick={() => {
                setCancelling(true);
                void fetch(`/api/imports/${view.id}`, { method: "DELETE" });
              }}
            >
              Cancel
            </button>
          </>
        )}
      </div>
      {report && <Report report={report} />}
    </div>
  );
}

function countsText({ added, changed, same }: ImportReport): string {
  const parts = [
    added > 0 && `${added.toLocaleString("en-GB")} new`,
    changed > 0 && `${changed.toLocaleString("en-GB")} changed`,
  ].filter(Boolean);
  return parts.length > 0 ? parts.join(", ") : `nothing: ${plural(same, "row is", "rows are")} unchanged`;
}

function Choice({ checked, onChange, text }: { checked: boolean; onChange: (on: boolean) => void; text: string }) {
  return (
    <label className="flex min-h-[26px] items-center gap-2">
      <input
        type="checkbox"
        className="size-[18px] accent-[var(--rope)]"
        checked={checked}
        onChange={(event) => onChange(event.target.checked)}
      />
      {text}
    </label>
  );
}

function Progress({ progress, since }: { progress: Gone | null; since: number }) {
  if (!progress || progress.total === 0) return <span role="status">Reading the file …</span>;
  const { done, total } = progress;
  const seconds = (Date.now() - since) / 1000;
  const rate = since > 0 && done > 0 && seconds > 0 ? done / seconds : null;
  return (
    <span role="status" className="flex items-center gap-3">
      <progress className="h-3 w-48" max={total} value={done} aria-label="Rows done" />
      <span className="tabular-nums">
        {done.toLocaleString("en-GB")} of {total.toLocaleString("en-GB")} rows
        {rate !== null &&
          done < total &&
          `, ${Math.round(rate).toLocaleString("en-GB")} a second, ${Math.ceil((total - done) / rate)} s left`}
      </span>
    </span>
  );
}
