"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import { visible } from "@/core/words/visible";
import { ProblemLine } from "@/ui/problem-line";
import { setPartitionAction } from "../actions";

/** Where an encrypted partition's recovery key is kept: a place, never the key. */
export function KeyPlace({
  computer,
  disk,
  partition,
  title,
  place,
}: {
  computer: { id: number; version: number };
  disk: number;
  partition: number;
  title: string;
  place: string | null;
}) {
  const router = useRouter();
  const [editing, setEditing] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, start] = useTransition();
  const save = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const typed = String(new FormData(event.currentTarget).get("place") ?? "");
    start(async () => {
      const result = await setPartitionAction(computer.id, computer.version, {
        disk,
        partition,
        change: { keyPlace: typed },
      });
      setProblem(result.ok ? null : (fieldTexts(result.problem).place ?? problemText(result.problem)));
      if (!result.ok) return;
      setEditing(false);
      router.refresh();
    });
  };
  if (!editing)
    return (
      <div>
        <span className={place ? "" : "font-semibold text-plum"}>
          Encrypted; recovery key: {place ? visible(place, 120) : "location not recorded"}.
        </span>{" "}
        <button type="button" className="link min-h-[24px]" onClick={() => setEditing(true)}>
          {place ? "Change" : "Record location"}
        </button>
      </div>
    );
  return (
    <form onSubmit={save} className="mt-1 max-w-sm">
      <div className="flex gap-2">
        <input
          name="place"
          className="field"
          defaultValue={place ?? ""}
          aria-label={`Location of the recovery key of ${title}`}
          placeholder="The location, never the key"
          autoComplete="off"
        />
        <button type="submit" className="act" disabled={pending}>
          Save
        </button>
      </div>
      <ProblemLine text={problem} className="mt-1" />
    </form>
  );
}
