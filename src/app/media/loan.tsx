"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { giveBackAction, lendAction } from "../sites/actions";

/** Who takes a medium and until when; or that it was returned. */
export function Loan({ tag, lentTo }: { tag: string; lentTo: string | null }) {
  const router = useRouter();
  const ready = useReady();
  const [asked, setAsked] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const act = async (doing: Promise<Result<number>>) => {
    const result = await doing;
    setProblem(result.ok ? null : problemText(result.problem));
    if (!result.ok) return;
    setAsked(false);
    router.refresh();
  };
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    void act(lendAction({ tag, to: data.get("to"), dueOn: data.get("dueOn") || null }));
  };
  return (
    <div aria-busy={!ready}>
      {lentTo ? (
        <button type="button" className="act" onClick={() => act(giveBackAction(tag, null))}>
          Return medium
        </button>
      ) : asked ? (
        <form onSubmit={submit} className="flex flex-wrap items-end gap-2">
          <label className="text-[0.9rem]">
            To
            <input className="field w-36" name="to" autoComplete="off" />
          </label>
          <label className="text-[0.9rem]">
            Until
            <input className="field" name="dueOn" type="date" />
          </label>
          <button type="submit" className="act-main">
            Lend medium
          </button>
        </form>
      ) : (
        <button type="button" className="act" onClick={() => setAsked(true)}>
          Lend
        </button>
      )}
      <ProblemLine text={problem} />
    </div>
  );
}
