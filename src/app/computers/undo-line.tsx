"use client";

import { useRouter } from "next/navigation";
import { useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import type { Undone } from "@/server/computers/bulk";
import type { Result } from "@/server/problems";
import { plural, zonedTimeText } from "@/ui/words";
import { undoBatchAction } from "./actions";

interface Batch {
  id: number;
  at: Date;
  personName: string;
  summary: string;
  computers: number;
}

const NAMED = 8;

function outcomeText(result: Result<Undone>): string {
  if (!result.ok) return problemText(result.problem);
  const { undone, changedSince } = result.value;
  const named = `${changedSince.slice(0, NAMED).join(", ")}${changedSince.length > NAMED ? " and others" : ""}`;
  const left = changedSince.length > 0 ? ` Changed since, so left as they are: ${named}.` : "";
  return `${plural(undone, "computer")} restored.${left}`;
}

/**
 * The latest change over many, and the way back. What an undo came to stays until there is a newer change: the page
 * that is drawn anew has no such change any more.
 */
export function UndoLine({ batch }: { batch: Batch | null }) {
  const router = useRouter();
  const [told, setTold] = useState<{ text: string; batchId: number } | null>(null);
  const [pending, start] = useTransition();
  if (told && (!batch || batch.id <= told.batchId))
    return (
      <p className="caption mt-2" role="status">
        {told.text}
      </p>
    );
  if (!batch) return null;
  const undo = () =>
    start(async () => {
      setTold({ text: outcomeText(await undoBatchAction(batch.id)), batchId: batch.id });
      router.refresh();
    });
  return (
    <p className="caption mt-2" role="status">
      {batch.personName} changed {plural(batch.computers, "computer")} together ({batch.summary}),{" "}
      {zonedTimeText(batch.at)}.{" "}
      <button type="button" className="link min-h-[24px]" disabled={pending} onClick={undo}>
        {pending ? "Undoing …" : "Undo"}
      </button>
    </p>
  );
}
