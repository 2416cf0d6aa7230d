"use client";

import { useRouter } from "next/navigation";
import { useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import { setPartitionAction } from "../actions";

/** What a partition is for, where type and content do not tell, or tell wrongly. */
export function RoleChoice({
  computer,
  disk,
  partition,
  role,
  told,
  roles,
}: {
  computer: { id: number; version: number };
  disk: number;
  partition: number;
  /** As recorded, or "". */
  role: string;
  /** What type and content tell. */
  told: string;
  roles: { value: string; text: string }[];
}) {
  const router = useRouter();
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, start] = useTransition();
  return (
    <>
      <select
        className="field w-auto max-w-48"
        aria-label={`Role of partition ${partition}`}
        value={role}
        disabled={pending}
        onChange={(event) =>
          start(async () => {
            const change = { role: event.target.value };
            const result = await setPartitionAction(computer.id, computer.version, { disk, partition, change });
            setProblem(result.ok ? null : problemText(result.problem));
            router.refresh();
          })
        }
      >
        <option value="">{told}</option>
        {roles.map(({ value, text }) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
      </select>
      {problem && (
        <span role="alert" className="block text-plum">
          {problem}
        </span>
      )}
    </>
  );
}
