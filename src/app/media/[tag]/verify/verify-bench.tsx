"use client";

import { useEffect, useRef, useState } from "react";
import { Progress } from "@/app/_reading/progress";
import { useReader } from "@/app/_reading/use-reader";
import { isAsItShouldBe, Verified } from "@/app/_reading/verified";
import type { Manifest } from "@/core/medium/integrity/manifest";
import type { Verification } from "@/core/medium/integrity/verify";
import { problemText } from "@/core/words/problems";
import { DropField } from "@/ui/drop-field";
import { ProblemLine } from "@/ui/problem-line";
import { type Dropped, folderOf } from "@/workers/dropped";
import { dateVerificationAction } from "../../actions";

/** Compares an image of a medium with its release's manifest, and dates the medium's verification by it. */
export function VerifyBench({ tag, inspectionId }: { tag: string; inspectionId: number }) {
  const verifying = useReader("verified");
  const [problem, setProblem] = useState<string | null>(null);
  const [recorded, setRecorded] = useState(false);
  const sent = useRef<Verification | null>(null);
  const found = verifying.state.step === "done" ? verifying.state.value.verification : null;

  useEffect(() => {
    if (!found || sent.current === found) return;
    sent.current = found;
    void dateVerificationAction(tag, isAsItShouldBe(found) ? "whole" : "damaged").then((result) => {
      if (result.ok) setRecorded(true);
      else setProblem(problemText(result.problem));
    });
  }, [found, tag]);

  const verify = async (file: Dropped) => {
    setProblem(null);
    setRecorded(false);
    const response = await fetch(`/api/contents/${inspectionId}/manifest`).catch(() => null);
    if (!response?.ok) return setProblem("The manifest could not be fetched. Try again.");
    verifying.start({ kind: "verify", file, manifest: (await response.json()) as Manifest });
  };
  return (
    <div className="mt-3">
      <DropField
        disabled={verifying.state.step === "running"}
        onFiles={(files) => {
          const dropped = folderOf(files) ?? files[0];
          if (dropped) void verify(dropped);
        }}
        folders
        text={`Drop an image of ${tag} here, or its drive where it is plugged in.`}
      />
      {verifying.state.step === "running" && (
        <div className="mt-2">
          <Progress state={verifying.state} label="Comparison" onCancel={verifying.cancel} />
        </div>
      )}
      {verifying.state.step === "cancelled" && <p className="mt-2 text-quiet">Cancelled. Nothing recorded.</p>}
      {verifying.state.step === "failed" && <p role="alert">{verifying.state.problem}</p>}
      {found && <Verified verification={found} />}
      {recorded && <p className="mt-1">Recorded with {tag}.</p>}
      <ProblemLine text={problem} boxed className="mt-2" />
    </div>
  );
}
