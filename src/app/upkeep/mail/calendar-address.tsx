"use client";

import { useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { SecretOnce } from "@/ui/secret-once";
import { useReady } from "@/ui/use-ready";
import { makeCalendarAction } from "../actions";

/** Makes an address of a calendar, and shows it this once. */
export function CalendarAddress({
  name,
  siteId = null,
  ofPersonId = null,
}: {
  name: string;
  siteId?: number | null;
  ofPersonId?: number | null;
}) {
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [address, setAddress] = useState<string | null>(null);
  const make = async () => {
    const result = await makeCalendarAction({ name, siteId, ofPersonId });
    if (result.ok) setAddress(result.value);
    else setProblem(problemText(result.problem));
  };
  return (
    <span aria-busy={!ready}>
      {address === null ? (
        <button type="button" className="link" aria-label={`Calendar address of ${name}`} onClick={make}>
          Calendar address
        </button>
      ) : (
        <SecretOnce text={`Subscribe to this address in a calendar program. It is not shown again.`} secret={address} />
      )}
      <ProblemLine text={problem} />
    </span>
  );
}
