"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { removeLibraryFileAction } from "./actions";

export function RemoveFile({ name }: { name: string }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <span aria-busy={!ready}>
      <button
        type="button"
        className="act"
        aria-label={`Remove ${name}`}
        onClick={async () => {
          const result = await removeLibraryFileAction(name);
          setProblem(result.ok ? null : problemText(result.problem));
          router.refresh();
        }}
      >
        Remove
      </button>
      <ProblemLine text={problem} />
    </span>
  );
}
