"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import type { KeptAs } from "@/core/making/jobs/job";
import { problemText } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { registerFileAction } from "../actions";
import { fieldsOf, type Making } from "./wish";

interface Props {
  making: Making;
  keptAs: KeptAs;
  bytes: number;
  /** As of when it is made, ISO 8601: in all forms the same. */
  madeAt: string;
}

/** A medium that is burnt or written elsewhere: its file, and its record until then. */
export function AsFile({ making, keptAs, bytes, madeAt }: Props) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const { tag, releaseId, besideIds } = making;
  const addressOf = (form: "raw" | "zst" | "sha256") =>
    `/bench/make/file?${new URLSearchParams([...fieldsOf(making), ["made", madeAt], ["form", form]])}`;
  const register = async () => {
    setProblem(null);
    const releaseIds = [releaseId, ...besideIds].filter((id) => id !== null);
    const result = await registerFileAction({ tag, releaseIds, bytes, ...keptAs });
    if (result.ok) router.push(`/media/${encodeURIComponent(tag)}`);
    else setProblem(problemText(result.problem));
  };
  return (
    <div className="mt-4 space-y-2 pb-2" aria-busy={!ready}>
      <p>
        Write or burn the file, then verify the result. Registered as a file, {tag} is at hand nowhere until its kind is
        changed.
      </p>
      <p className="flex flex-wrap gap-3">
        <a className="act-main" href={addressOf("raw")} download>
          Download {tag} ({bytesText(bytes)})
        </a>
        <a className="act" href={addressOf("zst")} download>
          Packed (zstd)
        </a>
        <a className="act" href={addressOf("sha256")}>
          SHA-256
        </a>
        <button type="button" className="act" onClick={() => void register()}>
          Register {tag} as a file
        </button>
      </p>
      <ProblemLine text={problem} />
    </div>
  );
}
