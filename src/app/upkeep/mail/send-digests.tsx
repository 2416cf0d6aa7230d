"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { useReady } from "@/ui/use-ready";
import { sendDigestsAction } from "../actions";

/** Writes the digests now. */
export function SendDigests() {
  const router = useRouter();
  const ready = useReady();
  const [told, setTold] = useState<string | null>(null);
  return (
    <p className="mt-2 flex items-center gap-3" aria-busy={!ready}>
      <button
        type="button"
        className="act"
        onClick={async () => {
          const result = await sendDigestsAction();
          if (!result.ok) return setTold(problemText(result.problem));
          const { sent, quiet, failed } = result.value;
          const missed = failed.length > 0 ? ` To ${failed.join(", ")} nothing could be sent; will be retried.` : "";
          setTold(`${sent} written; for ${quiet} nothing has changed.${missed}`);
          router.refresh();
        }}
      >
        Send digests now
      </button>
      {told && <span role="status">{told}</span>}
    </p>
  );
}
