"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Loss } from "@/server/bench/berths";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";

/** The last step before a device is emptied: which one is meant, and that what is lost may be lost. */
export function StartForm<W extends object>({
  action,
  wish,
  made,
  fingerprint,
  how,
  loss,
  isStore,
  isHeld,
  content,
}: {
  /** Queues the job; what is answered here goes with what is wished. */
  action: (input: W & { confirm: string; lossAgreed: boolean; fingerprint: string }) => Promise<Result<number>>;
  wish: W;
  /** The tag or name of what is made. */
  made: string;
  fingerprint: string | null;
  how: string;
  loss: Loss;
  isStore: boolean;
  /** The job that holds the berth. */
  isHeld: number | null;
  /** The medium that would be lost. */
  content: string | null;
}) {
  const router = useRouter();
  const ready = useReady();
  const [confirm, setConfirm] = useState("");
  const [lossAgreed, setLossAgreed] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  if (isHeld !== null) return <p className="mt-4">Job {isHeld} uses this berth: wait for it, or cancel it.</p>;
  if (isStore) return <p className="mt-4">This device receives images: never written to as a whole.</p>;
  if (fingerprint === null) return <p className="mt-4 text-plum">Device not readable; it is not written to.</p>;
  const { onlyRouteOf, images } = loss;
  const isLoss = onlyRouteOf.length + images.length > 0;
  return (
    <form
      aria-busy={!ready || busy}
      className="mt-5 max-w-2xl space-y-2 border-plum border-l-4 pl-3"
      onSubmit={async (event) => {
        event.preventDefault();
        setBusy(true);
        setProblem(null);
        const result = await action({ ...wish, confirm, lossAgreed, fingerprint });
        if (result.ok) router.push(`/bench/jobs/${result.value}`);
        else setProblem(problemText(result.problem));
        setBusy(false);
      }}
    >
      <h3 className="font-semibold">Everything on it will be lost</h3>
      {content !== null && content !== made && (
        <p>
          It is <span className="code font-bold">{content}</span> now: that medium will be lost.
        </p>
      )}
      {isLoss && (
        <label className="flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 size-[18px] accent-[var(--rope)]"
            checked={lossAgreed}
            onChange={(event) => setLossAgreed(event.target.checked)}
          />
          <span>
            {onlyRouteOf.length > 0 && (
              <>
                It is the only route of <strong>{onlyRouteOf.slice(0, 8).join(", ")}</strong>
                {onlyRouteOf.length > 8 && ` and ${onlyRouteOf.length - 8} more`}.{" "}
              </>
            )}
            {images.length > 0 && (
              <>
                It holds the images <strong>{images.slice(0, 4).join(", ")}</strong>
                {images.length > 4 && ` and ${images.length - 4} more`}.{" "}
              </>
            )}
            These may be lost.
          </span>
        </label>
      )}
      <label className="block">
        <span className="block font-semibold">Confirm the device: {how}</span>
        <input
          className="field code max-w-60"
          value={confirm}
          onChange={(event) => setConfirm(event.target.value)}
          autoComplete="off"
        />
      </label>
      <ProblemLine text={problem} />
      <button type="submit" className="act-main" disabled={busy}>
        Erase and write {made}
      </button>
    </form>
  );
}
