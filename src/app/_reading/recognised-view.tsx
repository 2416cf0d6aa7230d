"use client";

import { useEffect, useState } from "react";
import { Progress } from "@/app/_reading/progress";
import { useReader } from "@/app/_reading/use-reader";
import { Verified } from "@/app/_reading/verified";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { Manifest } from "@/core/medium/integrity/manifest";
import { marksOf } from "@/core/medium/releases/marks";
import { visible } from "@/core/words/visible";
import type { Recognised } from "@/server/media/recognise";
import { ProblemLine } from "@/ui/problem-line";
import { dateText } from "@/ui/words";
import type { Dropped } from "@/workers/dropped";
import { recogniseMediumAction } from "./actions";

/** What a medium that was read is here: by its own records, and by what of which release is on it. */
export function RecognisedView({
  dropped,
  inspection,
  onRelease,
}: {
  dropped: Dropped;
  inspection: Inspection;
  /** Takes over the release that it is most like. */
  onRelease?: (id: number) => void;
}) {
  const glance = useReader("glanced");
  const verifying = useReader("verified");
  const [found, setFound] = useState<Recognised | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const { start } = glance;
  useEffect(() => start({ kind: "glance", file: dropped }), [dropped, start]);
  const head = glance.state.step === "done" ? glance.state.value.head : null;
  const isGlanced = glance.state.step === "done" || glance.state.step === "failed";
  useEffect(() => {
    if (!isGlanced) return;
    let isLatest = true;
    void recogniseMediumAction({ tag: head?.medium.tag ?? null, marks: marksOf(inspection) }).then((result) => {
      if (isLatest) setFound(result.ok ? result.value : null);
    });
    return () => {
      isLatest = false;
    };
  }, [isGlanced, head, inspection]);
  const verify = async (inspectionId: number) => {
    setProblem(null);
    const response = await fetch(`/api/contents/${inspectionId}/manifest`).catch(() => null);
    if (!response?.ok) return setProblem("The manifest could not be fetched. Try again.");
    verifying.start({ kind: "verify", file: dropped, manifest: (await response.json()) as Manifest });
  };
  if (!found) return null;
  const { medium, releases } = found;
  if (!head && releases.length === 0) return null;
  return (
    <section aria-label="Recognised" className="my-3 border-sea border-l-4 bg-sea-soft px-3 py-2">
      {head && (
        <p>
          Its records: <span className="code">{visible(head.medium.tag, 60)}</span>, made with{" "}
          {visible(`${head.release.kit} ${head.release.name}`, 120)} on {dateText(head.madeAt.slice(0, 10))}.{" "}
          {medium ? (
            <a className="link" href={`/media/${encodeURIComponent(medium.tag)}`}>
              {medium.tag}
              {medium.site && ` at ${medium.site}`}
              {medium.retired && ", retired"}
            </a>
          ) : (
            "No medium with this tag is recorded."
          )}
        </p>
      )}
      {releases.length > 0 && (
        <ul>
          {releases.map(({ id, text, of, all, inspectionId, hasManifest }) => (
            <li key={id} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 py-0.5">
              <span>
                Matches <strong>{text}</strong>: {of === 1 ? "all" : `${Math.round(of * 100)} %`} of the programs and
                archives here, {all === 1 ? "all" : `${Math.round(all * 100)} %`} of the release.
              </span>
              {onRelease && (
                <button type="button" className="link" onClick={() => onRelease(id)}>
                  Mark {text} as carried
                </button>
              )}
              {hasManifest && (
                <button
                  type="button"
                  className="link"
                  disabled={verifying.state.step === "running"}
                  onClick={() => verify(inspectionId)}
                >
                  Verify against manifest
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {verifying.state.step === "running" && (
        <Progress state={verifying.state} label="Comparison" onCancel={verifying.cancel} />
      )}
      {verifying.state.step === "failed" && <p role="alert">{verifying.state.problem}</p>}
      {verifying.state.step === "done" && <Verified verification={verifying.state.value.verification} />}
      <ProblemLine text={problem} />
    </section>
  );
}
