"use client";

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useRouter } from "next/navigation";
import { type FormEvent, useId, useState } from "react";
import { dayOf } from "@/core/kernel/days";
import { fieldTexts, problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { putOffAction, takeUpAction } from "./actions";

const USUAL_DAYS = 14;

/** Puts something off until a day, with a reason. */
export function PutOff({ dueKey, title }: { dueKey: string; title: string }) {
  const router = useRouter();
  const ready = useReady();
  const id = useId();
  const [problem, setProblem] = useState<string | null>(null);
  const submit = (close: () => void) => async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const result = await putOffAction({ key: dueKey, until: data.get("until"), why: data.get("why") });
    if (!result.ok) {
      return setProblem(Object.values(fieldTexts(result.problem)).join(" ") || problemText(result.problem));
    }
    setProblem(null);
    close();
    router.refresh();
  };
  const later = dayOf(new Date(Date.now() + USUAL_DAYS * 86_400_000));
  return (
    <Popover className="relative" aria-busy={!ready}>
      <PopoverButton className="link" aria-label={`Postpone: ${title}`}>
        Postpone
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-10 w-72 rounded-sm border border-line bg-sheet p-3 shadow-[0_2px_6px_rgb(0_0_0/0.15)]"
      >
        {({ close }) => (
          <form onSubmit={submit(close)} className="space-y-2">
            <label htmlFor={`${id}-until`} className="block font-semibold text-[0.9rem]">
              Until
            </label>
            <input id={`${id}-until`} name="until" type="date" className="field" defaultValue={later} />
            <label htmlFor={`${id}-why`} className="block font-semibold text-[0.9rem]">
              Why
            </label>
            <input id={`${id}-why`} name="why" className="field" autoComplete="off" />
            <ProblemLine text={problem} />
            <button type="submit" className="act">
              Postpone
            </button>
          </form>
        )}
      </PopoverPanel>
    </Popover>
  );
}

/** Takes back what was put off. */
export function TakeUp({ id, title }: { id: number; title: string }) {
  const router = useRouter();
  return (
    <button
      type="button"
      className="link"
      aria-label={`Reopen: ${title}`}
      onClick={async () => {
        await takeUpAction(id);
        router.refresh();
      }}
    >
      Reopen
    </button>
  );
}
