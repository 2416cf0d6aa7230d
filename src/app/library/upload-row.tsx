"use client";

import { useEffect, useRef, useState } from "react";
import { type DetailedError, Upload } from "tus-js-client";
import { z } from "zod";
import { visible } from "@/core/words/visible";
import { ProblemLine } from "@/ui/problem-line";
import { Progress } from "../_reading/progress";
import { useReader } from "../_reading/use-reader";

export interface Wanted {
  releaseId: number;
  /** Its kit and release. */
  of: string;
  name: string;
  bytes: number;
}

/** Bytes a request: where a connection breaks, so much is sent again at most. */
const PART_BYTES = 32 << 20;
/** A server that is started again, or a network that changed, is waited for as long. Milliseconds. */
const RETRY_AFTER_MS = [500, 1_000, 2_000, 5_000, 10_000, 20_000, 30_000, 60_000, 60_000];

const refusalSchema = z.object({ problem: z.string() });

/** What the server said of it, or that it does not answer. */
function problemOf(error: Error | DetailedError): string {
  const body = "originalResponse" in error ? (error.originalResponse?.getBody() ?? "") : "";
  try {
    return refusalSchema.parse(JSON.parse(body)).problem;
  } catch {
    return "Sending stopped: the server does not answer. Drop the file again to go on where it stopped.";
  }
}

/** One file on its way: read, sent, checked. */
export function UploadRow({ file, wanted, onOver }: { file: File; wanted: Wanted; onOver: () => void }) {
  const reading = useReader("digested");
  const [sent, setSent] = useState<{ doneBytes: number; startedAt: number } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const upload = useRef<Upload | null>(null);
  const over = useRef(onOver);
  useEffect(() => {
    over.current = onOver;
  });
  const { start, state } = reading;
  const digest = state.step === "done" ? state.value.digest : null;

  useEffect(() => start({ kind: "digest", file, hash: "sha256" }), [start, file]);
  useEffect(() => {
    if (digest === null || upload.current) return;
    const startedAt = performance.now();
    const sending = new Upload(file, {
      endpoint: "/api/library",
      metadata: { release: String(wanted.releaseId), sha256: digest },
      chunkSize: PART_BYTES,
      retryDelays: RETRY_AFTER_MS,
      // The same bytes, whatever the file is called: what has arrived of them is gone on with.
      fingerprint: async () => `creel ${wanted.releaseId} ${digest}`,
      removeFingerprintOnSuccess: true,
      // A refusal is final; a server that is away is not.
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0;
        return status === 0 || status === 423 || status >= 500;
      },
      onProgress: (doneBytes) => setSent({ doneBytes, startedAt }),
      // The server compares it with what was read here; the list of uploads tells what came of it.
      onSuccess: () => over.current(),
      onError: (error) => setProblem(problemOf(error)),
    });
    upload.current = sending;
    setSent({ doneBytes: 0, startedAt });
    void sending.findPreviousUploads().then(([previous]) => {
      if (previous) sending.resumeFromPreviousUpload(previous);
      sending.start();
    });
  }, [digest, file, wanted.releaseId]);
  useEffect(() => () => void upload.current?.abort(), []);
  const cancel = async () => {
    reading.cancel();
    await upload.current?.abort(true).catch(() => {});
    onOver();
  };
  return (
    <section aria-label={wanted.of} className="border-line border-b pb-2">
      <p>
        <span className="font-semibold">{wanted.of}</span> <span className="code">{visible(file.name, 80)}</span>
      </p>
      {problem ? (
        <div className="flex flex-wrap items-center gap-3">
          <ProblemLine text={problem} />
          <button type="button" className="act" onClick={onOver}>
            Close
          </button>
        </div>
      ) : sent ? (
        <Progress
          label="Sending"
          state={{ step: "running", totalBytes: file.size, at: null, ...sent }}
          onCancel={cancel}
        />
      ) : state.step === "running" ? (
        <Progress label="Reading" state={state} onCancel={cancel} />
      ) : state.step === "failed" ? (
        <ProblemLine text={state.problem} />
      ) : null}
    </section>
  );
}
