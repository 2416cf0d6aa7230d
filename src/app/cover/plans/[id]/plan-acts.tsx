"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { useJob } from "../../../_lib/use-progress";
import { acceptPlanAction, cancelPlanAction } from "../../actions";

/** How far a plan is that is computed, until it is. */
export function Running({ id, told }: { id: number; told: string | null }) {
  const router = useRouter();
  const [heard, setHeard] = useState("");
  useJob(
    { kind: "cover-plan", field: "plan", value: id, isListening: true },
    () => router.refresh(),
    ({ state, progress }) => {
      const now = JSON.stringify([state, progress]);
      if (now === heard) return;
      setHeard(now);
      router.refresh();
    },
  );
  return (
    <p className="mt-4 flex items-center gap-3">
      <span role="status">{told}</span>
      <button
        type="button"
        className="act"
        onClick={async () => {
          await cancelPlanAction(id);
          router.refresh();
        }}
      >
        Cancel
      </button>
    </p>
  );
}

/** Takes a plan as what is to be done. */
export function Accept({ id, version }: { id: number; version: number }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <div aria-busy={!ready}>
      <button
        type="button"
        className="act-main"
        onClick={async () => {
          const result = await acceptPlanAction(id, version);
          if (!result.ok) return setProblem(problemText(result.problem));
          router.refresh();
        }}
      >
        Accept plan
      </button>
      <ProblemLine text={problem} className="mt-1" />
    </div>
  );
}
