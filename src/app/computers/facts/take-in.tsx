"use client";

import { X } from "lucide-react";
import { useRouter } from "next/navigation";
import { useEffect, useState, useTransition } from "react";
import { byComputer } from "@/core/computer/collect/by-computer";
import type { Document, DocumentKind, DocumentReading } from "@/core/computer/collect/document";
import { readDocument } from "@/core/computer/collect/read";
import type { Choices } from "@/core/computer/facts/merge";
import { documentNoteText, documentProblemText, leftOutFactText } from "@/core/words/collect";
import { affectedText } from "@/core/words/facts";
import { problemText } from "@/core/words/problems";
import { verdictText } from "@/core/words/reasons";
import type { FactsPreview } from "@/server/computers/computer-acts";
import { ChainLink } from "@/ui/chain";
import { DropField } from "@/ui/drop-field";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { plural } from "@/ui/words";
import { previewFactsAction, takeInFactsAction } from "../actions";
import { Changes } from "./changes";

const KIND_TEXT: Record<DocumentKind, string> = {
  facts: "facts of a computer",
  cim: "what a Windows says of itself (creel-collect.ps1)",
  lsblk: "lsblk",
  "sfdisk-json": "sfdisk, a partition table",
  "sfdisk-dump": "sfdisk, a partition table",
  dmidecode: "dmidecode",
  lspci: "lspci",
  "efi-variable": "a variable of the firmware",
  "signature-list": "a list of Secure Boot",
  "os-release": "os-release, an installed system",
  mokutil: "mokutil, the state of Secure Boot",
};

interface Dropped {
  key: number;
  name: string;
  reading: DocumentReading;
}

const PAUSE_MS = 250;
let nextKey = 1;

/** Documents dropped or pasted, what they would change, and the act. */
export function TakeIn({ to }: { to: string }) {
  const router = useRouter();
  const ready = useReady();
  const [tag, setTag] = useState(to);
  const [dropped, setDropped] = useState<Dropped[]>([]);
  const [pasted, setPasted] = useState("");
  const [choices, setChoices] = useState<Choices>({});
  const [preview, setPreview] = useState<FactsPreview | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, start] = useTransition();
  /** Which of several computers is taken in now, and which were. */
  const [turn, setTurn] = useState(0);
  const [taken, setTaken] = useState<string[]>([]);
  const { computers, loose } = byComputer(dropped.flatMap(({ reading }) => (reading.ok ? [reading.observation] : [])));
  const own = computers[Math.min(turn, computers.length - 1)];
  const observations = own?.observations ?? [];

  const add = (documents: Document[]) =>
    setDropped((before) => [
      ...before,
      ...documents.map((document) => ({ key: nextKey++, name: document.name, reading: readDocument(document) })),
    ]);
  const takeFiles = async (files: File[]) =>
    add(
      await Promise.all(
        files.map(async (file) => ({
          name: file.name,
          bytes: new Uint8Array(await file.arrayBuffer()),
          at: new Date(file.lastModified || Date.now()).toISOString(),
        })),
      ),
    );
  const takePasted = () => {
    if (pasted.trim() === "") return;
    add([{ name: "", bytes: new TextEncoder().encode(pasted), at: new Date().toISOString() }]);
    setPasted("");
  };

  // What is dropped, and for whom, is compared with what is recorded after each change.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the documents stand for the observations made from them
  useEffect(() => {
    if (observations.length === 0) {
      setPreview(null);
      return;
    }
    let current = true;
    const pause = setTimeout(async () => {
      const result = await previewFactsAction({ tag: tag.trim() || null, observations, choices });
      if (!current) return;
      setPreview(result.ok ? result.value : null);
      setProblem(result.ok ? null : problemText(result.problem));
    }, PAUSE_MS);
    return () => {
      current = false;
      clearTimeout(pause);
    };
  }, [dropped, tag, choices, turn]);

  const save = () =>
    start(async () => {
      const result = await takeInFactsAction(
        { tag: tag.trim() || null, observations, choices },
        preview?.known?.version ?? null,
      );
      if (result.ok && computers.length > 1) {
        // The others are still to come.
        const done = new Set(observations);
        setTaken((before) => [...before, result.value.tag]);
        setDropped((before) => before.filter(({ reading }) => !(reading.ok && done.has(reading.observation))));
        setTurn(0);
        setTag("");
        setChoices({});
        return;
      }
      if (result.ok) {
        router.push(`/computers/${encodeURIComponent(result.value.tag)}?show=facts`);
        router.refresh();
        return;
      }
      setProblem(problemText(result.problem));
      // Somebody was faster: compare with what is there now.
      if (result.problem.code === "stale") setChoices((before) => ({ ...before }));
    });

  return (
    <div className="mt-4" aria-busy={!ready}>
      <div className="grid max-w-5xl gap-4 lg:grid-cols-2">
        <DropField multiple onFiles={takeFiles} text="Drop outputs and files here." />
        <div className="flex gap-2">
          <textarea
            className="field code h-[4.6rem] flex-1"
            aria-label="Paste an output"
            placeholder="or paste an output, as it is"
            value={pasted}
            onChange={(event) => setPasted(event.target.value)}
          />
          <button type="button" className="act self-start" disabled={pasted.trim() === ""} onClick={takePasted}>
            Read text
          </button>
        </div>
      </div>
      <Documents
        dropped={dropped}
        onRemove={(key) => setDropped((before) => before.filter((each) => each.key !== key))}
      />
      <ProblemLine text={problem} boxed className="mt-3 max-w-5xl" />
      {taken.length > 0 && (
        <p className="mt-3" role="status">
          Imported: {taken.join(", ")}.
        </p>
      )}
      {computers.length > 1 && (
        <fieldset className="mt-3 max-w-5xl border-rope border-l-4 bg-rope-soft px-3 py-2">
          <legend className="sr-only">Computers in these facts</legend>
          <p className="font-semibold">{computers.length} computers: import them one by one</p>
          <div className="flex flex-wrap gap-x-5">
            {computers.map(({ name, observations: its }, at) => (
              <label key={name} className="flex min-h-[2rem] items-center gap-2">
                <input
                  type="radio"
                  name="turn"
                  className="size-[18px] accent-[var(--rope)]"
                  checked={its === observations}
                  onChange={() => {
                    setTurn(at);
                    setTag("");
                    setChoices({});
                  }}
                />
                <span className="code">{name}</span> <span className="caption">{plural(its.length, "document")}</span>
              </label>
            ))}
          </div>
          {loose.length > 0 && (
            <p className="caption">
              {plural(loose.length, "document names", "documents name")} no computer, and{" "}
              {loose.length === 1 ? "is" : "are"} left out: drop {loose.length === 1 ? "it" : "them"} with the facts of
              one computer.
            </p>
          )}
        </fieldset>
      )}
      {preview && (
        <>
          <div className="mt-5 flex max-w-5xl flex-wrap items-end gap-4">
            <div className="w-52">
              <Field label="For the computer with the tag" hint={hintOf(preview, tag)}>
                {(props) => (
                  <input
                    {...props}
                    value={tag}
                    placeholder={preview.tag ?? ""}
                    onChange={(event) => setTag(event.target.value)}
                    autoComplete="off"
                  />
                )}
              </Field>
            </div>
            <button type="button" className="act-main mb-5" disabled={pending || !preview.tag} onClick={save}>
              {pending
                ? "Saving …"
                : preview.known
                  ? `Import facts for ${preview.known.tag}`
                  : `Add ${preview.tag ?? "the computer"}`}
            </button>
          </div>
          <Touched preview={preview} />
          <Changes
            changes={preview.changes}
            choices={choices}
            onChoose={(paths, take) =>
              setChoices((before) => ({ ...before, ...Object.fromEntries(paths.map((path) => [path, take])) }))
            }
          />
          {preview.confirmed > 0 && (
            <p className="mt-3 text-quiet">{plural(preview.confirmed, "fact is", "facts are")} recorded unchanged.</p>
          )}
          {preview.left
            .map((each) => leftOutFactText(each))
            .map((text) => (
              <p key={text} className="mt-1 text-plum">
                Left out: {text}
              </p>
            ))}
        </>
      )}
    </div>
  );
}

function hintOf({ known, tag }: FactsPreview, typed: string): string {
  if (known) return `recorded: ${[known.name, known.siteName].filter(Boolean).join(", ") || "no name or site yet"}`;
  if (tag) return "not recorded yet: it will be added";
  return typed ? "not recorded yet" : "the facts name none: type one";
}

function Documents({ dropped, onRemove }: { dropped: Dropped[]; onRemove: (key: number) => void }) {
  if (dropped.length === 0) return null;
  return (
    <ul className="mt-3 max-w-5xl divide-y divide-line border-line border-y">
      {dropped.map(({ key, name, reading }) => (
        <li key={key} className="flex items-start gap-3 py-1">
          <span className="min-w-0 flex-1">
            <span className="code">{name || "pasted"}</span>{" "}
            {reading.ok ? (
              <span className="text-quiet">
                {KIND_TEXT[reading.kind]}: {plural(reading.observation.values.length, "fact")}
              </span>
            ) : (
              <span className="text-plum">{documentProblemText(reading.problem)}</span>
            )}
            {reading.ok &&
              reading.notes.map((note) => (
                <span key={note.code} className="block text-quiet">
                  {documentNoteText(note)}
                </span>
              ))}
          </span>
          <button
            type="button"
            className="grid size-[24px] place-items-center text-quiet hover:text-ink"
            aria-label={`Leave ${name || "the pasted output"} out`}
            onClick={() => onRemove(key)}
          >
            <X size={15} aria-hidden />
          </button>
        </li>
      ))}
    </ul>
  );
}

/** What the changes touch beyond themselves: settings, images, and the media that start the computer. */
function Touched({ preview: { affected, shifts, answers } }: { preview: FactsPreview }) {
  if (affected.length === 0 && shifts.length === 0 && !answers) return null;
  return (
    <section className="mt-3 max-w-5xl border-rope border-l-4 bg-rope-soft px-3 py-2">
      <h2>Effects</h2>
      <ul>
        {affected.map((each) => (
          <li key={`${each.code}${affectedText(each)}`}>{affectedText(each)}</li>
        ))}
      </ul>
      {answers && (
        <p className="mt-1">
          <span className="text-quiet">Its routes before: {answers.before}</span>
          <br />
          With these facts: {answers.after}
        </p>
      )}
      {shifts.length > 0 && (
        <ul className="mt-1 flex flex-wrap gap-x-6">
          {shifts.map(({ tag, before, after }) => (
            <li key={tag} className="inline-flex items-center gap-2">
              <span className="code font-bold">{tag}</span>
              <ChainLink verdict={before} height={13} label={`was: ${verdictText(before)}`} />
              <span aria-hidden>→</span>
              <ChainLink verdict={after} height={13} label={`will be: ${verdictText(after)}`} />
              <span className="caption">starts it: {verdictText(after)}</span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
