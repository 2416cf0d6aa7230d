"use client";

import clsx from "clsx";
import { useEffect, useState } from "react";
import { Progress } from "@/app/_reading/progress";
import { useReader } from "@/app/_reading/use-reader";
import type { Inspection } from "@/core/medium/inspection/schema";
import { type Checksum, checksumFor, readChecksums } from "@/core/medium/integrity/checksums";
import type { InnerResult } from "@/core/medium/integrity/inner";
import { isIntact } from "@/core/medium/integrity/intact";
import { checksumText, innerArchiveText, innerSumsText } from "@/core/words/integrity";
import { visible } from "@/core/words/visible";
import { DropField } from "@/ui/drop-field";
import { ProblemLine } from "@/ui/problem-line";

const SUMS_BYTES_MAX = 16 << 20;

/** Is the file whole? Its checksum, and a comparison with checksums that were published for it. */
export function WholeView({
  file,
  inspection,
  onDigest,
}: {
  file: File;
  inspection: Inspection;
  onDigest: (sha256: string) => void;
}) {
  const digest = useReader("digested");
  const inner = useReader("innerly");
  const [sum, setSum] = useState<Checksum | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const hash = sum?.hash ?? "sha256";
  const found = digest.state.step === "done" ? digest.state.value.digest : null;
  useEffect(() => {
    if (found && hash === "sha256") onDigest(found);
  }, [found, hash, onDigest]);

  const takeSums = async (dropped: File) => {
    setProblem(null);
    if (dropped.size > SUMS_BYTES_MAX)
      return setProblem(`${visible(dropped.name, 80)} is too large for a checksum file.`);
    const read = checksumFor(readChecksums(await dropped.text()), file.name);
    if (!read)
      return setProblem(
        `No line of ${visible(dropped.name, 80)} names ${visible(file.name, 80)}. Was it published for another file?`,
      );
    setSum(read);
    if (read.hash === "sha256" && inspection.file.sha256 !== null) return;
    digest.start({ kind: "digest", file, hash: read.hash });
  };
  const fileHash = hash === "sha256" ? (found ?? inspection.file.sha256) : found;
  return (
    <div className="max-w-3xl space-y-4">
      <section>
        <h2>Checksum</h2>
        {fileHash && (
          <p className="code mt-1 break-all">
            {hash.toUpperCase()} {fileHash}
          </p>
        )}
        <div className="mt-2">
          {digest.state.step === "running" ? (
            <Progress state={digest.state} label="Checksum" onCancel={digest.cancel} />
          ) : (
            !fileHash && (
              <button type="button" className="act" onClick={() => digest.start({ kind: "digest", file, hash })}>
                Compute checksum ({hash.toUpperCase()})
              </button>
            )
          )}
          {digest.state.step === "cancelled" && <span className="ml-3 text-quiet">Cancelled. Nothing saved.</span>}
          {digest.state.step === "failed" && (
            <p role="alert" className="text-plum">
              {digest.state.problem}
            </p>
          )}
        </div>
      </section>
      <section>
        <h2>Published checksums</h2>
        <div className="mt-1">
          <DropField
            onFiles={([dropped]) => dropped && takeSums(dropped)}
            text="Drop the checksum file here, such as SHA256SUMS."
          />
        </div>
        <ProblemLine text={problem} className="mt-2" />
        {sum && fileHash && (
          <p
            className={fileHash === sum.digest ? "mt-2 font-semibold text-sea" : "mt-2 font-semibold text-plum"}
            role="status"
          >
            {checksumText(sum, fileHash === sum.digest)}
          </p>
        )}
      </section>
      <section>
        <h2>Own checksums</h2>
        <p className="text-quiet">
          Some discs list checksums of their own files; image archives have those of their pieces or contents.
        </p>
        <div className="mt-2">
          {inner.state.step === "running" ? (
            <Progress state={inner.state} label="Own checksums" onCancel={inner.cancel} />
          ) : (
            <button type="button" className="act" onClick={() => inner.start({ kind: "inner", file })}>
              Verify with own checksums
            </button>
          )}
          {inner.state.step === "cancelled" && <span className="ml-3 text-quiet">Cancelled.</span>}
          {inner.state.step === "failed" && (
            <p role="alert" className="text-plum">
              {inner.state.problem}
            </p>
          )}
          {inner.state.step === "done" && <Inner result={inner.state.value.inner} />}
        </div>
      </section>
    </div>
  );
}

function Inner({ result }: { result: InnerResult }) {
  const { sums, archives } = result;
  if (sums.length + archives.length === 0) return <p className="mt-2">No own checksums.</p>;
  return (
    <ul role="status" className="mt-2 space-y-1">
      {sums.map((each) => (
        <li
          key={each.path}
          className={clsx("whitespace-pre-line", each.differing.length === 0 ? "text-sea" : "text-plum")}
        >
          {innerSumsText(each)}
        </li>
      ))}
      {archives.map((each) => (
        <li key={each.path} className={isIntact(each) ? "text-sea" : "text-plum"}>
          {innerArchiveText(each)}
        </li>
      ))}
    </ul>
  );
}
