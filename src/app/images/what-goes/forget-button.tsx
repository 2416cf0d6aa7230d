"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { useReady } from "@/ui/use-ready";
import { forgetImagesAction } from "../actions";

/** Tells Creel that the files of some images were deleted. */
export function ForgetButton({ ids }: { ids: number[] }) {
  const router = useRouter();
  const ready = useReady();
  const [asked, setAsked] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const forget = async () => {
    const result = await forgetImagesAction(ids);
    if (result.ok) {
      setAsked(false);
      router.refresh();
    } else setProblem(problemText(result.problem));
  };
  return (
    <p className="mt-2" aria-busy={!ready}>
      {asked ? (
        <button type="button" className="act-main" onClick={forget}>
          Yes, the files of {ids.length === 1 ? "this one" : `these ${ids.length}`} are deleted
        </button>
      ) : (
        <button type="button" className="act" onClick={() => setAsked(true)}>
          Mark as deleted
        </button>
      )}
      {problem && (
        <span role="alert" className="ml-3 text-plum">
          {problem}
        </span>
      )}
    </p>
  );
}
