"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { DropField } from "@/ui/drop-field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";

/** Sends a table to the server, where it waits to be looked at. */
export function Upload() {
  const router = useRouter();
  const ready = useReady();
  const [sending, setSending] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const send = async (file: File) => {
    setSending(file.name);
    setProblem(null);
    try {
      const response = await fetch("/api/imports", {
        method: "POST",
        headers: { "x-file-name": encodeURIComponent(file.name), "content-type": "application/octet-stream" },
        body: file,
      });
      const answer = (await response.json()) as { id?: number; problem?: string };
      if (answer.id) router.push(`/computers/import/${answer.id}`);
      else setProblem(answer.problem ?? "The file could not be imported. Try again.");
    } catch {
      setProblem("The file could not be sent: Creel did not answer. Check that it is running and drop the file again.");
    } finally {
      setSending(null);
    }
  };
  return (
    <div className="max-w-3xl" aria-busy={!ready}>
      <DropField
        onFiles={([file]) => file && send(file)}
        disabled={sending !== null}
        text={sending ? `Sending ${sending} …` : "Drop a CSV or JSON lines file here."}
      />
      <ProblemLine text={problem} className="mt-2" />
    </div>
  );
}
