"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { BenchJob } from "@/server/bench/jobs";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { askAction, resumeAction } from "../../actions";

/** Pause, cancel, go on: what a job's state allows. */
export function JobActs({
  id,
  state,
  kind,
  canGoOn,
}: {
  id: number;
  state: BenchJob["state"];
  kind: BenchJob["kind"];
  canGoOn: boolean;
}) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const act = async (doing: Promise<Result<unknown>>) => {
    setProblem(null);
    const result = await doing;
    if (result.ok) router.refresh();
    else setProblem(problemText(result.problem));
  };
  const goesOn = state === "paused" || state === "interrupted" || (state === "failed" && canGoOn);
  const isHeld = state === "queued" || state === "running" || state === "paused" || state === "interrupted";
  return (
    <div className="mt-3 flex flex-wrap items-center gap-2" aria-busy={!ready}>
      {state === "running" && kind === "prepare" && (
        <button type="button" className="act" onClick={() => act(askAction(id, "pause"))}>
          Pause
        </button>
      )}
      {goesOn && kind === "prepare" && (
        <button type="button" className="act-main" onClick={() => act(resumeAction(id))}>
          Resume
        </button>
      )}
      {isHeld && (
        <button type="button" className="act" onClick={() => act(askAction(id, "cancel"))}>
          Cancel
        </button>
      )}
      <ProblemLine text={problem} />
    </div>
  );
}
