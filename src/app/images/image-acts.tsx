"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { forgetImagesAction, lockImageAction } from "./actions";

/** What is done to an image as a whole. Creel deletes nothing: it is told what was. */
export function ImageActs({
  id,
  version,
  locked,
  dependents,
}: {
  id: number;
  version: number;
  locked: boolean;
  dependents: number;
}) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [asked, setAsked] = useState(false);
  const act = async (doing: Promise<Result<number>>, then: () => void) => {
    const result = await doing;
    if (result.ok) then();
    else setProblem(problemText(result.problem));
  };
  return (
    <div aria-busy={!ready} className="flex flex-wrap items-center justify-end gap-2">
      <button
        type="button"
        className="act"
        onClick={() => act(lockImageAction(id, version, !locked), () => router.refresh())}
      >
        {locked ? "Unprotect" : "Protect"}
      </button>
      {asked ? (
        <button
          type="button"
          className="act-main"
          onClick={() => act(forgetImagesAction([id]), () => router.push("/images"))}
        >
          Yes, its files were deleted{dependents > 0 ? `, and ${dependents} that build on it are lost` : ""}
        </button>
      ) : (
        <button type="button" className="act" onClick={() => setAsked(true)}>
          Mark as deleted
        </button>
      )}
      <ProblemLine text={problem} />
    </div>
  );
}
