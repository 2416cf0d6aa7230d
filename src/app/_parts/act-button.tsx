"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";

/** One act on one thing of a list: the page is read again after it, or the problem told beside it. */
export function ActButton({
  text,
  label,
  act,
}: {
  text: string;
  /** With what it is done to. */
  label: string;
  act: () => Promise<Result<unknown>>;
}) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <span aria-busy={!ready}>
      <button
        type="button"
        className="act"
        aria-label={label}
        onClick={async () => {
          const result = await act();
          setProblem(result.ok ? null : problemText(result.problem));
          router.refresh();
        }}
      >
        {text}
      </button>
      <ProblemLine text={problem} />
    </span>
  );
}
