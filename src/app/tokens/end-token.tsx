"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { endTokenAction } from "./actions";

export function EndToken({ id, name }: { id: number; name: string }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <span aria-busy={!ready}>
      <button
        type="button"
        className="act"
        aria-label={`End ${name}`}
        onClick={async () => {
          const result = await endTokenAction(id);
          setProblem(result.ok ? null : problemText(result.problem));
          router.refresh();
        }}
      >
        End
      </button>
      <ProblemLine text={problem} />
    </span>
  );
}
