"use client";

import { useState } from "react";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { signInByPasskey } from "../_door/passkey";

/** Signs in by a passkey of this device, without a mail address or a password. */
export function PasskeyButton({ next }: { next: string }) {
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const begin = async () => {
    setProblem(null);
    const answer = await signInByPasskey();
    if (answer.ok) window.location.assign(next);
    else setProblem(answer.problem);
  };
  return (
    <div className="mt-4 space-y-2 border-line border-t pt-4">
      <button type="button" className="act" disabled={!ready} onClick={() => void begin()}>
        Sign in with a passkey
      </button>
      <ProblemLine text={problem} />
    </div>
  );
}
