"use client";

import { useCallback, useEffect, useRef, useState } from "react";
import type { Inspection } from "@/core/inspection/schema";
import type { InspectReply, InspectRequest } from "@/workers/messages";

export type InspectionState =
  | { step: "none" }
  | { step: "reading"; fileName: string }
  | { step: "read"; inspection: Inspection; bytesRead: number; digest: DigestState }
  | { step: "failed"; fileName: string; problem: string };

export type DigestState =
  | { step: "none" }
  | { step: "running"; doneBytes: number; totalBytes: number; startedAt: number }
  | { step: "done" }
  | { step: "cancelled" };

/** Inspects a dropped file in a worker, and computes its digest there when asked. */
export function useInspection() {
  const [state, setState] = useState<InspectionState>({ step: "none" });
  const worker = useRef<Worker | null>(null);
  const file = useRef<File | null>(null);

  const end = useCallback(() => {
    worker.current?.terminate();
    worker.current = null;
  }, []);
  useEffect(() => end, [end]);

  const ask = useCallback(
    (request: InspectRequest, onReply: (reply: InspectReply) => void) => {
      end();
      worker.current = new Worker(new URL("../../workers/inspect.worker.ts", import.meta.url), { type: "module" });
      worker.current.onmessage = (event: MessageEvent<InspectReply>) => onReply(event.data);
      worker.current.onerror = () =>
        setState({ step: "failed", fileName: request.file.name, problem: "The reader stopped. Drop the file again." });
      worker.current.postMessage(request);
    },
    [end],
  );

  const inspect = useCallback(
    (dropped: File) => {
      file.current = dropped;
      setState({ step: "reading", fileName: dropped.name });
      ask({ kind: "inspect", file: dropped }, (reply) => {
        if (reply.kind === "inspected")
          setState({
            step: "read",
            inspection: reply.inspection,
            bytesRead: reply.bytesRead,
            digest: { step: "none" },
          });
        else if (reply.kind === "failed") setState({ step: "failed", fileName: dropped.name, problem: reply.problem });
      });
    },
    [ask],
  );

  const setDigest = useCallback((digest: DigestState, sha256?: string) => {
    setState((before) => {
      if (before.step !== "read") return before;
      const inspection = sha256
        ? { ...before.inspection, file: { ...before.inspection.file, sha256 } }
        : before.inspection;
      return { ...before, inspection, digest };
    });
  }, []);

  const computeDigest = useCallback(() => {
    const chosen = file.current;
    if (!chosen) return;
    const startedAt = performance.now();
    setDigest({ step: "running", doneBytes: 0, totalBytes: chosen.size, startedAt });
    ask({ kind: "digest", file: chosen }, (reply) => {
      if (reply.kind === "progress")
        setDigest({ step: "running", doneBytes: reply.doneBytes, totalBytes: reply.totalBytes, startedAt });
      else if (reply.kind === "digested") setDigest({ step: "done" }, reply.sha256);
      else if (reply.kind === "failed") setState({ step: "failed", fileName: chosen.name, problem: reply.problem });
    });
  }, [ask, setDigest]);

  const cancelDigest = useCallback(() => {
    end();
    setDigest({ step: "cancelled" });
  }, [end, setDigest]);

  return { state, inspect, computeDigest, cancelDigest };
}
