"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Fault } from "@/server/bench/faults";
import { useReady } from "@/ui/use-ready";
import { switchFaultAction } from "./actions";

const TEXTS: Record<Fault, string> = {
  none: "none",
  pulled: "unplugged after 6 MiB",
  stops: "stops answering after 6 MiB",
  slow: "slow after 4 MiB",
  "bad-sectors": "bad sectors at 5 MiB",
  flips: "a bit flips",
  wraps: "counterfeit, begins again at a quarter",
  drops: "counterfeit, loses all behind a quarter",
  "write-protected": "write-protected",
  "in-use": "in use by something else",
};

/** Which fault a simulated device has. */
export function FaultChoice({ deviceId, berth, fault }: { deviceId: number; berth: string; fault: Fault }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <label className="caption flex flex-wrap items-center gap-2">
      <span className="w-16 font-semibold">{berth}</span>
      <select
        aria-label={`Fault in ${berth}`}
        className="rounded-sm border border-line bg-sheet px-1 py-0.5"
        value={fault}
        disabled={!ready}
        onChange={async (event) => {
          const result = await switchFaultAction(deviceId, event.target.value as Fault);
          setProblem(result.ok ? null : problemText(result.problem));
          router.refresh();
        }}
      >
        {Object.entries(TEXTS).map(([value, text]) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
      </select>
      {problem && <span role="alert">{problem}</span>}
    </label>
  );
}
