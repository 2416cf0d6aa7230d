"use client";

import { proxy, wrap } from "comlink";
import { useCallback, useEffect, useRef, useState } from "react";
import type { ReadNews, ReadReply, ReadRequest } from "@/workers/messages";
import type { Read } from "@/workers/read.worker";

/** Work on a file in the background, as the page shows it. */
export type Running<T> =
  | { step: "idle" }
  | { step: "running"; doneBytes: number; totalBytes: number; at: string | null; startedAt: number }
  | { step: "done"; value: T }
  | { step: "cancelled" }
  | { step: "failed"; problem: string };

export type Done = Exclude<ReadReply, { kind: "failed" }>;

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
      const reading = ready.current ?? newWorker();
      worker.current = reading;
      ready.current = null;
      reading.onerror = () => {
        end();
        setState({ step: "failed", problem: "Reading stopped. Drop the file again." });
      };
      const tell = (news: ReadNews) =>
        setState((before) => {
          if (before.step !== "running" || worker.current !== reading) return before;
          if (news.kind === "step") return { ...before, at: news.path };
          return { ...before, doneBytes: news.doneBytes, totalBytes: news.totalBytes };
        });
      void wrap<Read>(reading)(request, proxy(tell)).then((reply) => {
        // Ended, or another piece of work, meanwhile.
        if (worker.current !== reading) return;
        end();
        if (reply.kind === "failed") setState({ step: "failed", problem: reply.problem });
        else if (reply.kind === expected) setState({ step: "done", value: reply as Value });
      });
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
