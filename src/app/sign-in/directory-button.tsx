"use client";

import { useState } from "react";
import { z } from "zod";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

const answer = z.object({ url: z.url({ protocol: /^https?$/ }) });

/** Signs in by the company's own directory, which sends back whom it knows. */
export function DirectoryButton({ name, next, problem: told }: { name: string; next: string; problem: string | null }) {
  const ready = useReady();
  const [problem, setProblem] = useState(told);
  const begin = async () => {
    setProblem(null);
    const asked = {
      provider: "directory",
      callbackURL: next,
      errorCallbackURL: `/sign-in?next=${encodeURIComponent(next)}`,
    };
    const result = await ask("/sign-in/social", asked);
    const parsed = result.ok ? answer.safeParse(result.value) : null;
    if (parsed?.success) window.location.assign(parsed.data.url);
    else setProblem(result.ok ? `No answer from ${name}. Try again, or use your password.` : result.problem);
  };
  return (
    <div className="mt-4 space-y-2 border-line border-t pt-4">
      <button type="button" className="act" disabled={!ready} onClick={() => void begin()}>
        Sign in with {name}
      </button>
      <ProblemLine text={problem} />
    </div>
  );
}
