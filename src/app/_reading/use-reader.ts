"use client";

import { useCallback, useEffect, useRef, useState } from "react";
import type { ReadReply, ReadRequest } from "@/workers/messages";

/** Work on a file in the background, as the page shows it. */
export type Running<T> =
  | { step: "idle" }
  | { step: "running"; doneBytes: number; totalBytes: number; at: string | null; startedAt: number }
  | { step: "done"; value: T }
  | { step: "cancelled" }
  | { step: "failed"; problem: string };

export type Done = Exclude<ReadReply, { kind: "progress" | "step" | "failed" }>;

const newWorker = () => new Worker(new URL("../../workers/read.worker.ts", import.meta.url), { type: "module" });

/**
 * One piece of work at a time, in a worker of its own that ends with it; `cancel` ends it at once. `warm` loads the
 * worker with the page, so that the first file is not kept waiting for it.
 */
export function useReader<T extends Done["kind"]>(expected: T, { warm = false } = {}) {
  type Value = Extract<Done, { kind: T }>;
  const [state, setState] = useState<Running<Value>>({ step: "idle" });
  const worker = useRef<Worker | null>(null);
  const end = useCallback(() => {
    worker.current?.terminate();
    worker.current = null;
  }, []);
  const ready = useRef<Worker | null>(null);
  useEffect(() => {
    if (warm) ready.current ??= newWorker();
    return () => {
      ready.current?.terminate();
      ready.current = null;
      end();
    };
  }, [warm, end]);

  const start = useCallback(
    (request: ReadRequest) => {
      end();
      const startedAt = performance.now();
      setState({ step: "running", doneBytes: 0, totalBytes: request.file.size, at: null, startedAt });
      worker.current = ready.current ?? newWorker();
      ready.current = null;
      worker.current.onmessage = ({ data }: MessageEvent<ReadReply>) => {
        if (data.kind === "progress" || data.kind === "step")
          setState((before) =>
            before.step === "running"
              ? data.kind === "step"
                ? { ...before, at: data.path }
                : { ...before, doneBytes: data.doneBytes, totalBytes: data.totalBytes }
              : before,
          );
        else {
          end();
          if (data.kind === "failed") setState({ step: "failed", problem: data.problem });
          else if (data.kind === expected) setState({ step: "done", value: data as Value });
        }
      };
      worker.current.onerror = () => {
        end();
        setState({ step: "failed", problem: "The reader stopped. Drop the file again." });
      };
      worker.current.postMessage(request);
    },
    [end, expected],
  );
  const cancel = useCallback(() => {
    end();
    setState((before) => (before.step === "running" ? { step: "cancelled" } : before));
  }, [end]);
  const reset = useCallback(() => {
    end();
    setState({ step: "idle" });
  }, [end]);
  return { state, start, cancel, reset };
}
