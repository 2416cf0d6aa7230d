"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { phaseText } from "@/core/words/bench";
import { bytesText } from "@/core/words/sizes";
import type { JobProgress } from "@/server/bench/jobs";
import { useProgress } from "../_lib/use-progress";

const STATES: Record<JobProgress["state"], string> = {
  queued: "queued",
  running: "",
  paused: "paused",
  interrupted: "interrupted: the server stopped; can be resumed",
  done: "done",
  failed: "failed",
  cancelled: "cancelled",
};

/** How far a job is, told by the server as it goes; the page is made anew once the job's state changes. */
export function JobMeter({ initial }: { initial: JobProgress }) {
  const router = useRouter();
  const [progress, setProgress] = useState(initial);
  const heard = useProgress(({ bench }) => {
    const told = bench.find(({ id }) => id === initial.id);
    if (!told) return;
    setProgress(told);
    if (told.state !== initial.state || told.phase !== initial.phase) router.refresh();
  });
  const { state, phase, doneBytes, totalBytes, rate } = progress;
  const left = rate && rate > 0 ? Math.ceil((totalBytes - doneBytes) / rate) : null;
  return (
    <div className="mt-1">
      {state === "running" && totalBytes > 0 && (
        <progress
          className="h-3 w-full"
          max={totalBytes}
          value={doneBytes}
          aria-label={phaseText(phase) || "progress"}
        />
      )}
      <p className="caption tabular-nums" aria-live="polite">
        {[
          STATES[state] || phaseText(phase),
          state === "running" && totalBytes > 0 && `${bytesText(doneBytes)} of ${bytesText(totalBytes)}`,
          state === "running" && rate !== null && rate > 0 && `${bytesText(rate)}/s`,
          state === "running" &&
            left !== null &&
            left > 0 &&
            `${left < 90 ? `${left} s` : `${Math.ceil(left / 60)} min`} left`,
          !heard && "no answer from the server; retrying",
        ]
          .filter(Boolean)
          .join(", ")}
      </p>
    </div>
  );
}
