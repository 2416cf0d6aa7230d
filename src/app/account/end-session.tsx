"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { endOwnSessionAction } from "./actions";

export function EndSession({ id }: { id: string }) {
  const router = useRouter();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <>
      <button
        type="button"
        className="act"
        onClick={async () => {
          const result = await endOwnSessionAction(id);
          if (result.ok) router.refresh();
          else setProblem(problemText(result.problem));
        }}
      >
        End
      </button>
      <ProblemLine text={problem} />
    </>
  );
}
