"use client";

import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { acceptPlanAction, cancelPlanAction } from "../../actions";

const LOOK_AGAIN_MS = 700;

/** How far a plan is that is computed, until it is. */
export function Running({ id, told }: { id: number; told: string | null }) {
  const router = useRouter();
  useEffect(() => {
    const timer = setInterval(() => router.refresh(), LOOK_AGAIN_MS);
    return () => clearInterval(timer);
  }, [router]);
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
        Accept it
      </button>
      <ProblemLine text={problem} className="mt-1" />
    </div>
  );
}
