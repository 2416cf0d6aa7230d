"use client";

import { useRouter } from "next/navigation";
import { useMemo, useRef, useState } from "react";
import { useForm } from "react-hook-form";
import { SiteOptions } from "@/app/_parts/site-options";
import { InspectionView } from "@/app/_reading/inspection-view";
import { keepRead } from "@/app/_reading/keep";
import { Progress } from "@/app/_reading/progress";
import { RecognisedView } from "@/app/_reading/recognised-view";
import { type Running, useReader } from "@/app/_reading/use-reader";
import { MEDIUM_KINDS } from "@/core/judging/model/parts";
import type { Inspection } from "@/core/medium/inspection/schema";
import { fieldTexts, problemText } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import type { MediumInput } from "@/server/media/media";
import type { Problem } from "@/server/problems";
import { DropField } from "@/ui/drop-field";
import { Field } from "@/ui/field";
import { type Merge, mergeForms } from "@/ui/merge";
import { StaleNotice } from "@/ui/stale-notice";
import { useReady } from "@/ui/use-ready";
import { mediumKindText } from "@/ui/words";
import { type Dropped, folderOf, isFolder } from "@/workers/dropped";
import { addMediumAction, saveMediumAction } from "./actions";

interface MediumFormProps {
  opened: (MediumInput & { id: number; version: number }) | null;
  sites: { id: number; name: string }[];
  releases: { id: number; text: string }[];
}

interface MediumValues {
  tag: string;
  name: string;
  kind: string;
  gigabytes: string;
  onComputer: string;
  siteId: string;
  lentTo: string;
  note: string;
  condition: string;
  writtenOn: string;
  verifiedOn: string;
  verifiedWhole: string;
  releaseIds: string[];
}

const NAMES: Partial<Record<keyof MediumValues, string>> = {
  gigabytes: "size",
  onComputer: "computer",
  siteId: "place",
  lentTo: "loan",
  releaseIds: "what it carries",
  writtenOn: "day of writing",
  verifiedOn: "day of verification",
  verifiedWhole: "outcome of verification",
};
const nameOf = (field: keyof MediumValues) => NAMES[field] ?? field;
const showValue = (value: string | string[]) =>
  typeof value === "string" ? value || "nothing" : `${value.length} releases`;

function toValues(input: MediumInput | null): MediumValues {
  return {
    tag: input?.tag ?? "",
    name: input?.name ?? "",
    kind: input?.kind ?? "usb",
    gigabytes: input?.capacityBytes ? String(input.capacityBytes / 1e9) : "",
    onComputer: input?.onComputer ?? "",
    siteId: input?.siteId?.toString() ?? "",
    lentTo: input?.lentTo ?? "",
    note: input?.note ?? "",
    condition: input?.condition ?? "",
    writtenOn: input?.writtenOn ?? "",
    verifiedOn: input?.verified?.on ?? "",
    verifiedWhole: input?.verified?.whole === false ? "no" : "yes",
    releaseIds: (input?.releaseIds ?? []).map(String),
  };
}

export function MediumForm({ opened, sites, releases }: MediumFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [file, setFile] = useState<Dropped | null>(null);
  const reader = useReader("inspected", { warm: true });
  const digest = useReader("digested");
  const list = useReader("listed");
  /** What was kept of the file, so that saving again does not keep it twice. */
  const kept = useRef<{ inspection: Inspection; id: number } | null>(null);
  const { state } = reader;
  const reading = state.step === "running";
  const inspection = useMemo(
    () => (state.step === "done" ? withDigest(state.value.inspection, digest.state) : null),
    [state, digest.state],
  );
  const inspect = (dropped: Dropped) => {
    setFile(dropped);
    digest.reset();
    kept.current = null;
    reader.start({ kind: "inspect", file: dropped, depth: "quick" });
    list.start({ kind: "list", file: dropped });
  };
  const [problem, setProblem] = useState<string | null>(null);
  const [version, setVersion] = useState(opened?.version ?? 0);
  const [base, setBase] = useState<MediumInput | null>(opened);
  const [merge, setMerge] = useState<Merge<MediumValues> | null>(null);
  const { register, handleSubmit, setError, getValues, setValue, watch, formState } = useForm<MediumValues>({
    defaultValues: toValues(opened),
  });
  const errors = formState.errors;

  /** What only the other changed goes into the form, what was typed here stays. */
  const takeOver = (stale: Extract<Problem, { code: "stale" }>) => {
    const theirs = {
      ...base,
      ...Object.fromEntries(stale.changes.map(({ field, after }) => [field, after])),
    } as MediumInput;
    const merged = mergeForms(getValues(), toValues(base), toValues(theirs));
    for (const field of merged.taken) setValue(field, merged.values[field]);
    setBase(theirs);
    setVersion(stale.version);
    setMerge(merged);
  };

  const onProblem = (found: Problem) => {
    if (found.code === "taken") setError("tag", { message: problemText(found) }, { shouldFocus: true });
    else if (fieldTexts(found).tag) setError("tag", { message: fieldTexts(found).tag }, { shouldFocus: true });
    else if (fieldTexts(found).onComputer)
      setError("onComputer", { message: fieldTexts(found).onComputer }, { shouldFocus: true });
    else {
      if (found.code === "stale") takeOver(found);
      setProblem(problemText(found));
    }
  };

  const save = handleSubmit(async (values) => {
    setProblem(null);
    const gigabytes = Number(values.gigabytes.replace(",", "."));
    if (values.gigabytes.trim() !== "" && !(gigabytes > 0)) {
      setError("gigabytes", { message: "A size is a number of GB, as printed on the medium." }, { shouldFocus: true });
      return;
    }
    const input = {
      tag: values.tag,
      name: values.name,
      kind: values.kind,
      onComputer: values.onComputer,
      capacityBytes: values.gigabytes.trim() === "" ? null : Math.round(gigabytes * 1e9),
      siteId: values.siteId === "" ? null : Number(values.siteId),
      lentTo: values.lentTo,
      note: values.note,
      condition: values.condition || null,
      writtenOn: values.writtenOn || null,
      verified: values.verifiedOn === "" ? null : { on: values.verifiedOn, whole: values.verifiedWhole === "yes" },
      releaseIds: (values.releaseIds || []).map(Number),
    };
    let keptId: number | null = null;
    if (state.step === "done" && inspection) {
      if (kept.current?.inspection !== inspection) {
        const listing = list.state.step === "done" ? list.state.value.listing : null;
        const sent = await keepRead({ inspection, drivers: state.value.drivers, listing });
        if (!sent.ok) return setProblem(sent.problem);
        kept.current = { inspection, id: sent.id };
      }
      keptId = kept.current.id;
    }
    const result = opened
      ? await saveMediumAction(opened.id, version, input, keptId)
      : await addMediumAction(input, keptId);
    if (result.ok) {
      router.push(`/media/${encodeURIComponent(values.tag.trim())}`);
      router.refresh();
    } else onProblem(result.problem);
  });

  return (
    <div className="grid gap-8 xl:grid-cols-[24rem_minmax(0,1fr)]">
      <form onSubmit={save} noValidate aria-busy={!ready}>
        {problem && <StaleNotice text={problem} merge={merge} name={nameOf} show={showValue} />}
        <div className="grid grid-cols-2 gap-3">
          <Field label="Tag" error={errors.tag?.message} hint="as printed on it">
            {(props) => <input {...props} {...register("tag")} autoComplete="off" />}
          </Field>
          <Field label="Kind">
            {(props) => (
              <select {...props} {...register("kind")}>
                {MEDIUM_KINDS.map((kind) => (
                  <option key={kind} value={kind}>
                    {mediumKindText(kind)}
                  </option>
                ))}
              </select>
            )}
          </Field>
          {watch("kind") === "entry" && (
            <Field
              label="On the disk of computer"
              error={errors.onComputer?.message}
              hint="its tag; the entry serves this computer only and is lost with its disk"
            >
              {(props) => <input {...props} {...register("onComputer")} autoComplete="off" />}
            </Field>
          )}
          <Field label="Name">{(props) => <input {...props} {...register("name")} autoComplete="off" />}</Field>
          <Field label="Size (GB, as sold)" error={errors.gigabytes?.message}>
            {(props) => <input {...props} {...register("gigabytes")} inputMode="decimal" autoComplete="off" />}
          </Field>
          <Field label="Site">
            {(props) => (
              <select {...props} {...register("siteId")}>
                <option value="">not recorded</option>
                <SiteOptions sites={sites} />
              </select>
            )}
          </Field>
          <Field label="Lent to">{(props) => <input {...props} {...register("lentTo")} autoComplete="off" />}</Field>
          <Field label="Condition">
            {(props) => (
              <select {...props} {...register("condition")}>
                <option value="">not recorded</option>
                <option value="good">good</option>
                <option value="worn">worn</option>
                <option value="distrusted">do not use</option>
              </select>
            )}
          </Field>
          <Field label="Written on">{(props) => <input {...props} {...register("writtenOn")} type="date" />}</Field>
          <Field label="Last verified on">
            {(props) => <input {...props} {...register("verifiedOn")} type="date" />}
          </Field>
          <Field label="Result of verification">
            {(props) => (
              <select {...props} {...register("verifiedWhole")}>
                <option value="yes">intact</option>
                <option value="no">damaged</option>
              </select>
            )}
          </Field>
        </div>
        {releases.length > 0 && (
          <fieldset className="mt-4">
            <legend className="font-semibold text-[0.9rem]">Carries</legend>
            {releases.map((release) => (
              <label key={release.id} className="flex items-center gap-2 py-0.5">
                <input
                  type="checkbox"
                  className="size-[24px] accent-rope"
                  value={release.id}
                  {...register("releaseIds")}
                />
                {release.text}
              </label>
            ))}
          </fieldset>
        )}
        <div className="mt-4">
          <Field label="Note">{(props) => <textarea {...props} rows={2} {...register("note")} />}</Field>
        </div>
        <div className="mt-4 flex gap-3">
          <button type="submit" className="act-main" disabled={formState.isSubmitting || reading}>
            {formState.isSubmitting ? "Saving …" : opened ? "Save" : "Register medium"}
          </button>
          <button type="button" className="act" onClick={() => router.back()}>
            Discard changes
          </button>
        </div>
      </form>
      <section aria-label="Contents" aria-live="polite">
        <DropField
          onFiles={(files) => {
            const dropped = folderOf(files) ?? files[0];
            if (dropped) inspect(dropped);
          }}
          folders
          disabled={reading}
          text="Drop the medium's file here, an ISO or a raw image, or the drive of the plugged-in medium. It is read on this computer, not uploaded."
        />
        {state.step === "idle" && (
          <p className="mt-3 text-quiet">
            {opened
              ? "The earlier reading stays until another file is dropped."
              : "Without a file the medium is recorded but not judged."}
          </p>
        )}
        {reading && <p className="mt-3">Reading {visible(file?.name ?? "", 80)} …</p>}
        {state.step === "failed" && (
          <p role="alert" className="mt-3 border-plum border-l-4 bg-plum-soft px-3 py-2">
            {visible(file?.name ?? "", 80)}: {state.problem}
          </p>
        )}
        {state.step === "done" && file && (
          <div className="mt-4">
            <RecognisedView
              dropped={file}
              inspection={state.value.inspection}
              onRelease={(id) => setValue("releaseIds", [...new Set([...(getValues("releaseIds") || []), String(id)])])}
            />
            <InspectionView inspection={inspection ?? state.value.inspection} />
            {!isFolder(file) && (
              <p className="caption mt-2">Read {bytesText(state.value.bytesRead)} of it to tell this.</p>
            )}
            <div className="mt-3">
              {isFolder(file) ? null : digest.state.step === "running" ? (
                <Progress state={digest.state} label="Checksum" onCancel={digest.cancel} />
              ) : (
                digest.state.step !== "done" && (
                  <>
                    <button
                      type="button"
                      className="act"
                      onClick={() => digest.start({ kind: "digest", file, hash: "sha256" })}
                    >
                      Compute checksum (SHA-256)
                    </button>
                    {digest.state.step === "cancelled" && (
                      <span className="ml-3 text-quiet">Cancelled. Nothing saved.</span>
                    )}
                    {digest.state.step === "failed" && (
                      <span role="alert" className="ml-3 text-plum">
                        {digest.state.problem}
                      </span>
                    )}
                  </>
                )
              )}
            </div>
          </div>
        )}
      </section>
    </div>
  );
}

/** What was read, with the digest where it was computed. */
function withDigest(inspection: Inspection, digest: Running<{ digest: string }>): Inspection {
  return digest.step === "done"
    ? { ...inspection, file: { ...inspection.file, sha256: digest.value.digest } }
    : inspection;
}
