"use client";

import { useRouter } from "next/navigation";
import { useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";

/** Takes a thing out of service or brings it back; nothing is deleted. */
export function RetireButton({
  retired,
  onChange,
}: {
  retired: boolean;
  onChange: (retired: boolean) => Promise<Result<number>>;
}) {
  const router = useRouter();
  const [pending, start] = useTransition();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <div>
      <button
        type="button"
        className="act"
        disabled={pending}
        onClick={() =>
          start(async () => {
            const result = await onChange(!retired);
            setProblem(result.ok ? null : problemText(result.problem));
            router.refresh();
          })
        }
      >
        {retired ? "Return to service" : "Retire"}
      </button>
      <ProblemLine text={problem} className="mt-1 max-w-56" />
    </div>
  );
}
