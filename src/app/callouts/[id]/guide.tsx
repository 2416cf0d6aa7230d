"use client";

import clsx from "clsx";
import { type ChangeEvent, useState } from "react";
import { type GuidedStep, isDangerous } from "@/core/callout/step";
import { branchText, stepCheckText, stepText } from "@/core/words/steps";
import type { Mark } from "@/server/callouts/callout-marks";
import { useReady } from "@/ui/use-ready";
import { clockText } from "@/ui/words";
import { CloseForm, type Closing } from "./acts";
import { useKeptPage } from "./kept-page";
import { useMarks } from "./marks";
import { useWakeLock } from "./wake-lock";

interface GuideProps {
  calloutId: number;
  steps: GuidedStep[];
  known: Mark[];
  person: string;
  /** What is asked at handing back; null: it is handed back. */
  closing: Closing | null;
}

const PHOTO_SIDE = 1600;

/** A picture made small enough to be kept here until it can be sent. */
async function photoFrom(file: File): Promise<string> {
  const picture = await createImageBitmap(file);
  const scale = Math.min(1, PHOTO_SIDE / Math.max(picture.width, picture.height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(picture.width * scale);
  canvas.height = Math.round(picture.height * scale);
  canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  return canvas.toDataURL("image/jpeg", 0.8).split(",")[1] ?? "";
}

/** The run sheet, step by step: ticked with the time, taken back, told where it fails. Nothing is lost without a connection. */
export function Guide({ calloutId, steps, known, person, closing }: GuideProps) {
  const isClosed = closing === null;
  const ready = useReady();
  const { marks, waiting, isReached, isSignedOut, isKept, isLoaded, mark } = useMarks(calloutId, known, person);
  const isPageKept = useKeptPage(marks.length - waiting);
  const stateOf = (key: string) =>
    marks.filter(({ step, kind }) => step === key && (kind === "done" || kind === "undone")).at(-1);
  const open = steps.find(({ step }) => stateOf(step.code)?.kind !== "done")?.step.code;
  const [isAllShown, setAllShown] = useState(false);
  // On a phone, held in one hand, one step at a time.
  const isSingle = !isClosed && !isAllShown && open !== undefined;
  useWakeLock(!isClosed && open !== undefined);
  return (
    <section aria-busy={!ready}>
      <p role="status" className={`print:hidden ${isReached ? "caption" : "text-plum"}`}>
        {!isLoaded && "Loading unsent ticks …"}
        {isLoaded &&
          (waiting > 0
            ? isReached
              ? "Sending."
              : isSignedOut
                ? "Your session is over. Sign in again in another tab: unsent ticks are saved on this device and sent then."
                : `No connection: ${waiting === 1 ? "one tick is" : `${waiting} ticks are`} saved on this device and sent later. Carry on.`
            : `All ticks saved.${isPageKept ? " Available offline." : ""}`)}
      </p>
      {waiting > 0 && !isKept && (
        <p role="alert" className="print:hidden text-plum">
          This browser cannot store unsent ticks. Keep this page open until they are sent.
        </p>
      )}
      {!isClosed && open !== undefined && (
        <p className="mt-1 flex items-center justify-between gap-3 sm:hidden print:hidden">
          <strong>
            Step {steps.findIndex(({ step }) => step.code === open) + 1} of {steps.length}
          </strong>
          <button type="button" className="act" onClick={() => setAllShown(!isAllShown)}>
            {isAllShown ? "One step" : "All steps"}
          </button>
        </p>
      )}
      <ol className="mt-2 divide-y divide-line border-line border-y">
        {steps.map((guided, at) => (
          <StepLine
            key={guided.step.code}
            guided={guided}
            number={at + 1}
            done={stateOf(guided.step.code)}
            isNext={guided.step.code === open && !isClosed}
            isClosed={isClosed}
            isHidden={isSingle && guided.step.code !== open}
            calloutId={calloutId}
            marks={marks.filter((each) => each.step === guided.step.code)}
            onMark={mark}
          />
        ))}
      </ol>
      {closing && (
        <div className="mt-6 print:hidden">
          <h2>Closing</h2>
          <CloseForm
            {...closing}
            notTicked={steps
              .filter(({ step }) => stateOf(step.code)?.kind !== "done")
              .map(({ step }) => ({ code: step.code, text: stepText(step).act }))}
            onDone={(code) => mark({ step: code, kind: "done" })}
          />
        </div>
      )}
    </section>
  );
}

function StepLine({
  guided: { step, branches },
  number,
  done,
  isNext,
  isClosed,
  isHidden,
  calloutId,
  marks,
  onMark,
}: {
  guided: GuidedStep;
  number: number;
  done: Mark | undefined;
  isNext: boolean;
  isClosed: boolean;
  /** Not the step that is worked at, where one is shown at a time. */
  isHidden: boolean;
  calloutId: number;
  marks: Mark[];
  onMark: ReturnType<typeof useMarks>["mark"];
}) {
  const [note, setNote] = useState("");
  const { act, details } = stepText(step);
  const isDone = done?.kind === "done";
  const hasFailed = marks.some(({ kind }) => kind === "failed");
  const told = marks.filter(({ kind }) => kind !== "done" && kind !== "undone");
  const addPhoto = async (event: ChangeEvent<HTMLInputElement>) => {
    const [file] = event.target.files ?? [];
    if (!file) return;
    const photo = await photoFrom(file).catch(() => null);
    if (photo) onMark({ step: step.code, kind: "photo", photo, photoType: "image/jpeg" });
    event.target.value = "";
  };
  return (
    <li
      className={clsx(
        "grid grid-cols-[2.6rem_minmax(0,1fr)_auto] gap-x-3 py-2.5",
        isNext && "bg-sunk max-sm:grid-cols-1 max-sm:gap-y-3 max-sm:px-3",
        isHidden && "max-sm:hidden print:max-sm:grid",
      )}
    >
      <span className={clsx("text-right text-2xl text-quiet", isNext && "max-sm:hidden")}>
        {number}
        {!isDone && <span aria-hidden="true" className="mt-1 ml-auto hidden size-4 border-2 border-ink print:block" />}
      </span>
      <div className="min-w-0">
        <p
          className={clsx(
            isDone ? "text-quiet" : "font-semibold",
            isDangerous(step) && "border-plum border-l-4 pl-2",
            isNext && "max-sm:text-xl",
          )}
        >
          {act}
        </p>
        {!isDone && details.map((detail) => <p key={detail}>{detail}</p>)}
        {!isDone &&
          branches.map(({ code, checks }) => (
            <details key={code} open={hasFailed} className="mt-1">
              <summary className="cursor-pointer">{branchText(code)}?</summary>
              <ol className="list-decimal pl-6">
                {checks.map((check) => (
                  <li key={check.code}>{stepCheckText(check)}</li>
                ))}
              </ol>
              {!isClosed && (
                <button
                  type="button"
                  className="act mt-1"
                  onClick={() => onMark({ step: step.code, kind: "failed", text: branchText(code) })}
                >
                  {branchText(code)}: note it
                </button>
              )}
            </details>
          ))}
        {told.map(({ id, kind, text, at, personName }) => (
          <p key={id} className="text-[0.9rem]">
            {kind === "photo" ? (
              <a className="link" href={`/api/callouts/${calloutId}/photos/${id}`} target="_blank" rel="noreferrer">
                Picture
              </a>
            ) : (
              <span className={kind === "failed" ? "text-plum" : ""}>{text}</span>
            )}{" "}
            <span className="caption">
              {clockText(at)}, {personName}
            </span>
          </p>
        ))}
        {isNext && (
          <form
            className="mt-1.5 flex flex-wrap gap-2 print:hidden"
            onSubmit={(event) => {
              event.preventDefault();
              if (note.trim()) onMark({ step: step.code, kind: "note", text: note.trim() });
              setNote("");
            }}
          >
            <input
              className="field max-w-80"
              aria-label={`Note on step ${number}`}
              value={note}
              onChange={(event) => setNote(event.target.value)}
              placeholder="Note"
            />
            <label className="act cursor-pointer">
              Picture
              <input type="file" accept="image/*" capture="environment" className="sr-only" onChange={addPhoto} />
            </label>
          </form>
        )}
      </div>
      <div className="text-right print:hidden">
        {!isClosed && (
          <button
            type="button"
            className={isNext ? "act-main max-sm:min-h-14! max-sm:w-full max-sm:justify-center max-sm:text-xl" : "act"}
            aria-pressed={isDone}
            onClick={() => onMark({ step: step.code, kind: isDone ? "undone" : "done" })}
          >
            {isDone ? "Undo" : "Done"}
          </button>
        )}
        {isDone && <p className="caption">{clockText(done.at)}</p>}
      </div>
    </li>
  );
}
