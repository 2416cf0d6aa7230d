"use client";

import { useRouter } from "next/navigation";
import { useEffect, useRef, useState } from "react";
import { Progress } from "@/app/_reading/progress";
import { useReader } from "@/app/_reading/use-reader";
import { Verified } from "@/app/_reading/verified";
import type { Manifest } from "@/core/medium/integrity/manifest";
import { visible } from "@/core/words/visible";
import { DropField } from "@/ui/drop-field";
import { ProblemLine } from "@/ui/problem-line";
import { sendPacked } from "@/ui/send-packed";
import { dateText } from "@/ui/words";

interface ManifestBenchProps {
  inspectionId: number;
  fileName: string;
  sha256: string | null;
  madeAt: string | null;
}

/** Keeps a release's manifest, and compares a medium or a file with it, to the file. */
export function ManifestBench({ inspectionId, fileName, sha256, madeAt }: ManifestBenchProps) {
  const router = useRouter();
  const making = useReader("manifested");
  const verifying = useReader("verified");
  const [problem, setProblem] = useState<string | null>(null);
  const sent = useRef<Manifest | null>(null);
  const made = making.state.step === "done" ? making.state.value.manifest : null;

  useEffect(() => {
    if (!made || sent.current === made) return;
    sent.current = made;
    void sendPacked(`/api/contents/${inspectionId}/manifest`, "PUT", made).then((answer) => {
      if (answer.ok) router.refresh();
      else setProblem(answer.problem);
    });
  }, [made, inspectionId, router]);

  const verify = async (file: File) => {
    setProblem(null);
    const response = await fetch(`/api/contents/${inspectionId}/manifest`).catch(() => null);
    if (!response?.ok) return setProblem("The manifest could not be fetched. Try again.");
    verifying.start({ kind: "verify", file, manifest: (await response.json()) as Manifest });
  };
  const isBusy = making.state.step === "running" || verifying.state.step === "running";
  return (
    <div className="max-w-3xl space-y-5">
      <section>
        <h2>Integrity</h2>
        <p className="code break-all">
          {sha256 ? `SHA-256 ${sha256}` : <span className="text-quiet">Checksum not computed.</span>}
        </p>
        <p>
          {madeAt
            ? `A manifest of every file and of every 4 MiB was made ${dateText(madeAt)}. `
            : `No manifest yet. It shows later which file of a medium is damaged. `}
          {madeAt && (
            <a className="link" href={`/api/contents/${inspectionId}/manifest`} download={`${fileName}.manifest.json`}>
              Download manifest
            </a>
          )}
        </p>
        {!madeAt && (
          <div className="mt-2">
            <DropField
              disabled={isBusy}
              onFiles={([file]) => file && making.start({ kind: "manifest", file })}
              text={`Drop ${visible(fileName, 60)} here to make its manifest.`}
            />
          </div>
        )}
        {making.state.step === "running" && (
          <div className="mt-2">
            <Progress state={making.state} label="Manifest" onCancel={making.cancel} />
          </div>
        )}
        {making.state.step === "cancelled" && <p className="text-quiet">Cancelled. Nothing saved.</p>}
        {making.state.step === "failed" && <p role="alert">{making.state.problem}</p>}
      </section>
      {madeAt && (
        <section>
          <h2>Verify a medium</h2>
          <div className="mt-1">
            <DropField
              disabled={isBusy}
              onFiles={([file]) => file && verify(file)}
              text="Drop an image of the medium, or the release's file, to compare it."
            />
          </div>
          {verifying.state.step === "running" && (
            <div className="mt-2">
              <Progress state={verifying.state} label="Comparison" onCancel={verifying.cancel} />
            </div>
          )}
          {verifying.state.step === "cancelled" && <p className="text-quiet">Cancelled. Nothing compared.</p>}
          {verifying.state.step === "failed" && <p role="alert">{verifying.state.problem}</p>}
          {verifying.state.step === "done" && <Verified verification={verifying.state.value.verification} />}
        </section>
      )}
      <ProblemLine text={problem} boxed />
    </div>
  );
}
