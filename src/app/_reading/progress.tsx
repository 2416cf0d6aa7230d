"use client";

import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import type { Running } from "./use-reader";

/** How far work on a file is: bytes, rate, time left, and a way to end it. */
export function Progress({
  state,
  label,
  onCancel,
}: {
  state: Extract<Running<unknown>, { step: "running" }>;
  label: string;
  onCancel: () => void;
}) {
  const { doneBytes, totalBytes, startedAt, at } = state;
  const seconds = (performance.now() - startedAt) / 1000;
  const rate = doneBytes / Math.max(0.001, seconds);
  const left = doneBytes > 0 ? Math.ceil((totalBytes - doneBytes) / rate) : null;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      {at === null ? (
        <progress className="h-3 min-w-40 flex-1" max={totalBytes} value={doneBytes} aria-label={label} />
      ) : (
        <span className="min-w-40 flex-1 truncate" aria-live="polite">
          {label} <span className="code">{visible(at, 90)}</span>
        </span>
      )}
      {at === null && (
        <span className="caption whitespace-nowrap tabular-nums">
          {bytesText(doneBytes)} of {bytesText(totalBytes)}
          {doneBytes > 0 && `, ${bytesText(rate)}/s`}
          {left !== null && left > 0 && `, ${left < 90 ? `${left} s` : `${Math.ceil(left / 60)} min`} left`}
        </span>
      )}
      <button type="button" className="act" onClick={onCancel}>
        Cancel
      </button>
    </div>
  );
}
