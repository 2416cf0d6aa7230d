"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { enterVisitAction } from "../actions";

interface VisitFormProps {
  site: string;
  jobs: { key: string; computer: string | null; title: string; why: string; minutes: number; results: string[] }[];
  tasks: { id: number; text: string }[];
}

const RESULT_WORDS: Record<string, string> = {
  ...{ started: "passed", restored: "passed, image restored", failed: "failed" },
  ...{ whole: "whole", damaged: "damaged", back: "returned", retired: "retired" },
};

/** What to do, with boxes to tick on paper and results to choose on a tablet; all are entered in one pass. */
export function VisitForm({ site, jobs, tasks }: VisitFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [told, setTold] = useState<string[] | null>(null);
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    setBusy(true);
    const entered = {
      site,
      results: jobs.map(({ key }) => ({
        ...{ key, result: String(data.get(`result ${key}`) ?? ""), note: String(data.get(`note ${key}`) ?? "") },
      })),
      tasks: tasks.flatMap(({ id }) => (data.get(`task ${id}`) ? [id] : [])),
    };
    // Without a connection nothing is entered, and what was chosen stays as it is.
    const result = await enterVisitAction(entered).catch(() => null);
    setBusy(false);
    if (!result) return setProblem("No connection. Nothing recorded. Try again later.");
    if (!result.ok) return setProblem(problemText(result.problem));
    setProblem(null);
    setTold([
      result.value.recorded === 0 ? "Nothing was recorded." : `${result.value.recorded} recorded.`,
      ...result.value.left,
    ]);
    router.refresh();
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-4">
      <h2>To do</h2>
      <ol className="mt-1 divide-y divide-line border-line border-y">
        {jobs.map(({ key, title, why, minutes, results }) => (
          <li
            key={key}
            className="grid gap-x-4 gap-y-1 py-2 md:grid-cols-[minmax(0,1fr)_5rem_12rem_12rem] print:grid-cols-[1fr_5rem_10rem]"
          >
            <div>
              <p className="font-semibold">
                <span aria-hidden className="hidden print:inline">
                  ☐{" "}
                </span>
                {title}
              </p>
              <p className="text-quiet">{why}</p>
            </div>
            <span className="text-quiet">{minutes} min</span>
            {results.length > 0 ? (
              <>
                <select
                  className="field self-start print:hidden"
                  name={`result ${key}`}
                  aria-label={`Result: ${title}`}
                >
                  <option value="">not done</option>
                  {results.map((result) => (
                    <option key={result} value={result}>
                      {RESULT_WORDS[result] ?? result}
                    </option>
                  ))}
                </select>
                <input
                  className="field self-start print:hidden"
                  name={`note ${key}`}
                  aria-label={`Note: ${title}`}
                  placeholder="Note"
                  autoComplete="off"
                />
                <span className="hidden print:block">
                  {results.map((each) => `☐ ${RESULT_WORDS[each] ?? each}`).join("  ")}
                </span>
              </>
            ) : (
              <span className="caption md:col-span-2 print:hidden">recorded where it is done</span>
            )}
          </li>
        ))}
        {tasks.map(({ id, text }) => (
          <li key={id} className="py-2">
            <label className="flex items-baseline gap-2">
              <input type="checkbox" name={`task ${id}`} /> {text}
            </label>
          </li>
        ))}
      </ol>
      <ProblemLine text={problem} className="mt-2" />
      {told && (
        <ul role="status" className="mt-2 list-disc pl-5">
          {told.slice(0, 12).map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
      <button type="submit" className="act-main mt-3 print:hidden" disabled={busy}>
        Record results
      </button>
    </form>
  );
}
