"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { problemText } from "@/core/words/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { holdEmulatedDrillAction } from "./actions";

/** Starts a medium on an emulated computer like the one that is meant: it takes up to some minutes. */
export function Emulated({ medium, computer }: { medium: string; computer: string }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    setBusy(true);
    setProblem(null);
    const result = await holdEmulatedDrillAction(
      String(data.get("medium") ?? ""),
      String(data.get("computer") ?? ""),
      data.get("secureBoot") === "off",
    );
    setBusy(false);
    if (result.ok) router.push(`/drills/${result.value}`);
    else setProblem(problemText(result.problem));
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="mt-8 max-w-xl border-line border-t pt-4">
      <h2>Or on an emulated computer</h2>
      <p className="text-quiet">
        This server starts what the medium holds with firmware like the computer's. It hints whether the medium is in
        order; only the computer itself proves it.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-2">
        <label>
          <span className="block font-semibold text-[0.9rem]">What is started</span>
          <input className="field code w-32" name="medium" defaultValue={medium} autoComplete="off" />
        </label>
        <label>
          <span className="block font-semibold text-[0.9rem]">On one like</span>
          <input className="field code w-32" name="computer" defaultValue={computer} autoComplete="off" />
        </label>
        <label>
          <span className="block font-semibold text-[0.9rem]">Secure Boot</span>
          <select className="field" name="secureBoot">
            <option value="">as it is there</option>
            <option value="off">switched off</option>
          </select>
        </label>
        <button type="submit" className="act" disabled={busy}>
          {busy ? "Starting it; this takes up to some minutes" : "Start it in the emulator"}
        </button>
      </div>
      <ProblemLine text={problem} className="mt-2" />
    </form>
  );
}
