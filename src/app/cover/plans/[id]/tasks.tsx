"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import type { CoverTask } from "@/core/cover/result";
import { taskText } from "@/core/words/cover";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { tickTaskAction } from "../../actions";

interface TaskItem {
  id: number;
  body: CoverTask;
  isDone: boolean;
  doneBy: string | null;
}

/** Where a task is done. */
function placeOf({
  kind,
  medium,
  computer,
  releaseId,
  besideIds = [],
  way,
}: CoverTask): { href: string; text: string } | null {
  if (kind === "drill" && medium && computer)
    return { href: `/drills/new?${new URLSearchParams({ medium, computer })}`, text: "Record as done" };
  if (kind === "ask-back" && medium) return { href: `/media/${encodeURIComponent(medium)}`, text: `See ${medium}` };
  if (kind === "rewrite" && medium && releaseId === null)
    return { href: `/media/${encodeURIComponent(medium)}/edit`, text: `Edit ${medium}` };
  if ((kind !== "write" && kind !== "rewrite") || releaseId === null) return null;
  const params = new URLSearchParams({
    release: String(releaseId),
    ...(way ? { way } : {}),
    ...(medium ? { tag: medium } : {}),
  });
  for (const id of besideIds) params.append("beside", String(id));
  return { href: `/bench?${params}`, text: "Open bench" };
}

/** What an accepted plan asks to be done, ticked as it is. */
export function Tasks({ tasks }: { tasks: TaskItem[] }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  // As it was ticked here, until the server says the same.
  const [ticked, setTicked] = useState<Record<number, boolean>>({});
  const open = tasks.filter(({ id, isDone }) => !(ticked[id] ?? isDone)).length;
  return (
    <section className="mt-6 max-w-4xl" aria-busy={!ready}>
      <h2>
        {open === 0 ? "All done" : `To do: ${open.toLocaleString("en-GB")} of ${tasks.length.toLocaleString("en-GB")}`}
      </h2>
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {tasks.map(({ id, body, doneBy, ...task }) => {
          const place = placeOf(body);
          const isDone = ticked[id] ?? task.isDone;
          return (
            <li key={id} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-1.5">
              <label className="flex items-baseline gap-2">
                <input
                  type="checkbox"
                  checked={isDone}
                  onChange={async (event) => {
                    const { checked } = event.target;
                    setProblem(null);
                    setTicked((before) => ({ ...before, [id]: checked }));
                    const result = await tickTaskAction(id, checked);
                    if (!result.ok) {
                      setTicked((before) => ({ ...before, [id]: !checked }));
                      setProblem(problemText(result.problem));
                    }
                    router.refresh();
                  }}
                />
                <span className={isDone ? "text-quiet line-through" : ""}>{taskText(body)}</span>
                {doneBy && <span className="caption">{doneBy}</span>}
              </label>
              {place && !isDone && (
                <Link prefetch={false} className="link" href={place.href}>
                  {place.text}
                </Link>
              )}
            </li>
          );
        })}
      </ul>
      <ProblemLine text={problem} className="mt-2" />
    </section>
  );
}
